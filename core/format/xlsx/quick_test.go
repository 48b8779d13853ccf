package xlsx

import (
	"fmt"
	"strings"
	"testing"

	"lastblock/core/format/sheet"
)

// slowly reads a cell by the tokens of the scanner.
func slowly(text string) (string, error) {
	s := sheet.NewScanner(strings.NewReader(text), "file", ErrTruncated, 1<<20)
	if _, err := s.Next(); err != nil {
		return "", err
	}
	r := rows{scanner: s}
	said := fmt.Sprintf("%s %s %s", s.Attribute("r"), s.Attribute("s"), s.Attribute("t"))
	computed, stored, err := r.readRaw()
	return fmt.Sprintf("%s %q %v %v", said, r.raw, stored, computed), err
}

// A shared text in its usual spelling is read at once, and any other by the scanner.
func TestQuickTexts(t *testing.T) {
	for text, want := range map[string]string{
		"<si><t>Day pass</t></si><si>":                           "Day pass",
		`<si><t xml:space="preserve"> a  b </t></si><si>`:        " a  b ",
		"<si><t></t></si></sst>":                                 "",
		"<si><t>a &amp; b</t></si>":                              "-",
		"<si><t>ü</t></si>":                                      "-",
		"<si><r><t>rich</t></r></si>":                            "-",
		"<si><t>a</t><rPh sb=\"0\" eb=\"1\"><t>b</t></rPh></si>": "-",
		"<si><t>cut off</t></s":                                  "-",
		"<si><t/></si>":                                          "-",
	} {
		got, n := quickText([]byte(text))
		if n == 0 && want != "-" || n > 0 && (string(got) != want || n != strings.Index(text, "</si>")+len("</si>")) {
			t.Errorf("%s is read as %q of %d bytes", text, got, n)
		}
	}
}

// What is read the quick way is what the scanner reads, and the usual spellings are read so.
func FuzzQuickCell(f *testing.F) {
	usual := []string{
		`<c r="A1" s="12" t="s"><v>7</v></c>`,
		`<c r="AB12"><v>-1.5E-3</v></c>`,
		`<c/>`,
		`<c r="A1" s="1"/>`,
		`<c t="inlineStr" r="C3"><is><t>Energy, part 7; 'it' > that</t></is></c>`,
		`<c r="A1"><v></v></c>`,
	}
	for _, text := range usual {
		var q quickCell
		if n := q.read([]byte(text + "<c")); n != len(text) {
			f.Errorf("%s is not read the quick way", text)
		}
		f.Add(text)
	}
	for _, text := range []string{`<c r="A1"><f>A2</f><v>1</v></c>`, `<c r="A1" r="B1"><v>1</v></c>`, `<c r="A1"><v>&lt;</v></c>`,
		`<c r='A1'><v>1</v></c>`, `<c r="A1" ><v>1</v></c>`, `<col min="1"/>`, "<c><v>1\r\n2</v></c>", `<c><v>ü</v></c>`,
		`<c r="A1"><v>1</v></c`, `<c><is><t xml:space="preserve"> a</t></is></c>`, `<c><v>]]></v></c>`, `<c x="1"/>`} {
		var q quickCell
		if n := q.read([]byte(text)); n != 0 {
			f.Errorf("%s is read the quick way", text)
		}
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var q quickCell
		n := q.read([]byte(text))
		if n == 0 {
			return
		}
		want, err := slowly(text[:n])
		got := fmt.Sprintf("%s %s %s %q %v false", q.reference, q.style, q.kind, q.raw, q.stored)
		if err != nil || got != want {
			t.Fatalf("%q is read as %s, and by the scanner as %s, %v", text, got, want, err)
		}
	})
}
