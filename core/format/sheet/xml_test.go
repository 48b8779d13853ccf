package sheet

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/iotest"
)

var errCut = errors.New("it was cut off")

// ours are the tokens of a text, each in a line.
func ours(r io.Reader) (tokens []string, err error) {
	s := NewScanner(r, "file", errCut, 1<<20)
	for {
		kind, err := s.Next()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return tokens, err
		}
		switch kind {
		case Start:
			line := "<" + string(s.Name())
			for _, a := range s.Attributes() {
				line += fmt.Sprintf(" %s:%s=%q", a.Space, a.Name, a.Value)
			}
			tokens = append(tokens, line)
		case End:
			tokens = append(tokens, "/"+string(s.Name()))
		case Chars:
			tokens = append(tokens, fmt.Sprintf("%q", s.Text()))
		}
	}
}

// theirs are the tokens that encoding/xml reads, and whether it takes the text for well formed.
func theirs(text string) (tokens []string, err error) {
	whole := xml.NewDecoder(strings.NewReader(text))
	for err == nil {
		_, err = whole.Token()
	}
	if !errors.Is(err, io.EOF) {
		return nil, err
	}
	raw := xml.NewDecoder(strings.NewReader(text))
	for {
		token, err := raw.RawToken()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return tokens, err
		}
		switch of := token.(type) {
		case xml.StartElement:
			line := "<" + of.Name.Local
			for _, a := range of.Attr {
				line += fmt.Sprintf(" %s:%s=%q", a.Name.Space, a.Name.Local, a.Value)
			}
			tokens = append(tokens, line)
		case xml.EndElement:
			tokens = append(tokens, "/"+of.Name.Local)
		case xml.CharData:
			tokens = append(tokens, fmt.Sprintf("%q", []byte(of)))
		}
	}
}

// isBeyond tells whether a text is one about which the scanner is allowed to be of another opinion: names with other
// letters than those of ASCII, declarations within declarations, and what an instruction says of versions and encodings
// in other spellings than usual.
func isBeyond(text string) bool {
	for i := range len(text) {
		if text[i] >= 0x80 {
			return true
		}
	}
	plain := strings.Replace(text, `<?xml version="1.0" encoding="UTF-8"?>`, "", 1)
	return strings.Contains(plain, "<?") || strings.Contains(plain, "<!") && !strings.Contains(plain, "<!--") &&
		!strings.Contains(plain, "<![CDATA[")
}

var wellFormed = []string{
	`<?xml version="1.0" encoding="UTF-8"?>` + "\n<worksheet xmlns=\"a\"><sheetData><row r=\"1\"><c r=\"A1\" t=\"s\"><v>0</v></c>" +
		"<c r='B1'/></row></sheetData></worksheet>\n",
	`<a>x &amp; y &lt;&gt;&quot;&apos;&#65;&#x42;</a>`, "<a>one\r\ntwo\rthree\n</a>", `<a b="1 &amp; 2" c:d='x"y'/>`,
	`<a><![CDATA[<b>&amp;]]></a>`, `<a><!-- no <c> --><b></b ></a>`, `<a></a>`, `<x:a x:b="1"></x:a>`, `<a b = "1" />`,
	`<!DOCTYPE a [<!ELEMENT b (c)>]><a/>`, `<!<!--b -->`, `<!'<!-- b -->>`,
	"<a\n\tb='1'\r\n>t</a>", "  <a/>  ", "", "text", "<a>]] ></a>", `<a b="]]>"/>`,
	"<a>Grüße 北 🙂</a>", `<a b="ü"/>`, "\ufeff<a/>", `<a><b/><b/></a>`, `<a b=">"/>`, `<office:a table:f="of:=[.A1]&gt;2"/>`,
}

var malformed = []string{
	`<!><!-- b --><a/>`, `<a>`, `<a`, `<a b`, `<a b=`, `<a b="`, `<a b="1`, `<a b="1"`, `<a b="1"/`, `</a>`, `<a></b>`, `<a><b></a></b>`, `<a/><b`,
	`<a>&nbsp;</a>`, `<a>&amp</a>`, `<a>&#xZZ;</a>`, `<a>&#0;</a>`, `<a>&#1114112;</a>`, `<a>&;</a>`, "<a>\x00</a>",
	"<a>\x01</a>", "<a>\xff</a>", "<a>\uffff</a>", `<a b=1/>`, `<a b/>`, `<a b c="1"/>`, `<a b="<"/>`, `<1a/>`, `< a/>`,
	`<a>]]></a>`, `<a><!-- a -- b --></a>`, `<a><![CDATA[x</a>`, `<a><![CDAT[x]]></a>`, `<a><!-x--></a>`, `<a:b:c/>`,
	`<a / >`, `<a></a x>`, `<a><!--`, `<?xml version="1.0"`, `<a b="1" b2='&bad;'/>`, `<-a/>`, `<a .b="1"/>`,
	`<?xml version="1.0" encoding="utf-16"?><a/>`, `<?xml version="2.0"?><a/>`,
}

// Whatever is well formed gives the tokens that encoding/xml reads, however little is read at a time, and whatever is
// not is refused.
func TestTokens(t *testing.T) {
	for _, text := range wellFormed {
		want, err := theirs(text)
		if err != nil {
			t.Fatalf("%q: %v", text, err)
		}
		for name, r := range map[string]io.Reader{"whole": strings.NewReader(text),
			"byte by byte": iotest.OneByteReader(strings.NewReader(text)),
			"with its end": iotest.DataErrReader(strings.NewReader(text))} {
			got, err := ours(r)
			if err != nil || strings.Join(got, "\n") != strings.Join(want, "\n") {
				t.Errorf("%q, %s: %q, %v; want %q", text, name, got, err, want)
			}
		}
	}
	for _, text := range malformed {
		if _, err := theirs(text); err == nil {
			t.Errorf("%q is well formed", text)
		}
		for _, r := range []io.Reader{strings.NewReader(text), iotest.OneByteReader(strings.NewReader(text))} {
			if got, err := ours(r); err == nil {
				t.Errorf("%q is read as %q", text, got)
			}
		}
	}
}

// A part that was cut off anywhere is known to be.
func TestCutOff(t *testing.T) {
	text := wellFormed[0]
	end := strings.LastIndex(text, ">") + 1
	begin := strings.Index(text, "<worksheet")
	for n := begin + 1; n < end; n++ {
		if _, err := ours(strings.NewReader(text[:n])); !errors.Is(err, errCut) {
			t.Fatalf("cut off behind %q: %v", text[max(0, n-10):n], err)
		}
	}
}

// A token may be as long as the limit says, and one that is longer ends reading before all of it is in memory.
func TestLongTokens(t *testing.T) {
	const limit = 300_000
	for _, c := range []struct {
		text string
		fits bool
	}{
		{"<a>" + strings.Repeat("x", limit) + "</a>", true},
		{"<a>" + strings.Repeat("x", limit+1) + "</a>", false},
		{"<a b=\"" + strings.Repeat("x", 2*limit) + "\"/>", false},
		{"<a>" + strings.Repeat("<b>1</b>", limit) + "</a>", true},
	} {
		read := 0
		s := NewScanner(io.TeeReader(strings.NewReader(c.text), counter{&read}), "file", errCut, limit)
		var err error
		for err == nil {
			_, err = s.Next()
		}
		var tooLong *TooLongError
		if errors.Is(err, io.EOF) != c.fits || errors.As(err, &tooLong) == c.fits {
			t.Errorf("%.20q of %d bytes: %v", c.text, len(c.text), err)
		}
		if !c.fits && read > 2*limit {
			t.Errorf("%d bytes were read of a token that may have %d", read, limit)
		}
	}
}

type counter struct{ n *int }

func (c counter) Write(p []byte) (int, error) {
	*c.n += len(p)
	return len(p), nil
}

// FuzzScanner holds the scanner against encoding/xml: what either takes the other takes, with the same tokens.
func FuzzScanner(f *testing.F) {
	for _, text := range append(wellFormed, malformed...) {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		want, refused := theirs(text)
		got, err := ours(strings.NewReader(text))
		again, errAgain := ours(iotest.HalfReader(strings.NewReader(text)))
		if fmt.Sprint(got, err) != fmt.Sprint(again, errAgain) {
			t.Fatalf("%q is read as %q, %v, and by halves as %q, %v", text, got, err, again, errAgain)
		}
		if isBeyond(text) {
			return
		}
		if (err == nil) != (refused == nil) {
			t.Fatalf("%q: %v, and encoding/xml says %v", text, err, refused)
		}
		if err == nil && strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Fatalf("%q is read as %q, and by encoding/xml as %q", text, got, want)
		}
	})
}

// Find goes to each element that is wanted, wherever it stands, and knows a file that was cut off.
func TestFind(t *testing.T) {
	const text = `<?xml version="1.0" encoding="UTF-8"?><x:doc a="1"><!-- <b n="0"/> --><x:b n="1">t</x:b>` +
		`<c><![CDATA[<b n="0"/>]]><d>&lt;b n="0"></d><b n="2"/></c><bb/><x:b n='3' m="a>b"><b n="4"></b></x:b>` +
		"</x:doc>\n"
	isWanted := func(name []byte) bool { return string(name) == "b" }
	findBehind := func(tokens int, r io.Reader) (found string, err error) {
		s := NewScanner(r, "file", errCut, 1<<20)
		for range tokens {
			if kind, err := s.Next(); err != nil {
				return found, err
			} else if kind == Start && isWanted(s.Name()) {
				found += string(s.Attribute("n"))
			}
		}
		for {
			if err := s.Find(isWanted); err != nil {
				return found, err
			}
			found += string(s.Attribute("n"))
		}
	}
	find := func(r io.Reader) (found string, err error) { return findBehind(0, r) }
	for tokens := range 25 {
		if found, err := findBehind(tokens, strings.NewReader(text)); found != "1234" || !errors.Is(err, io.EOF) {
			t.Errorf("behind %d tokens of Next: found %s, %v", tokens, found, err)
		}
		cut := strings.TrimSuffix(text, "x:doc>\n")
		if _, err := findBehind(tokens, strings.NewReader(cut)); !errors.Is(err, errCut) {
			t.Errorf("behind %d tokens of Next, cut off: %v", tokens, err)
		}
	}
	for _, r := range []io.Reader{strings.NewReader(text), iotest.OneByteReader(strings.NewReader(text))} {
		if found, err := find(r); found != "1234" || !errors.Is(err, io.EOF) {
			t.Errorf("found %s, %v", found, err)
		}
	}
	for n := strings.Index(text, "<x:doc"); n < strings.LastIndex(text, "</x:doc>"); n++ {
		if _, err := find(strings.NewReader(text[:n])); !errors.Is(err, errCut) {
			t.Fatalf("cut off behind %q: %v", text[max(0, n-10):n], err)
		}
	}
	if found, err := find(strings.NewReader("<a><c/></a>")); found != "" || !errors.Is(err, io.EOF) {
		t.Errorf("of a file without any: %s, %v", found, err)
	}
	if found, err := find(strings.NewReader(`<b n="9"/>`)); found != "9" || !errors.Is(err, io.EOF) {
		t.Errorf("of a file of one element: %s, %v", found, err)
	}
	if _, err := find(strings.NewReader(`<a><b n=1/></a>`)); err == nil || !strings.Contains(err.Error(), "is damaged") {
		t.Errorf("a value without quotes: %v", err)
	}
}
