package delimited

import (
	"reflect"
	"slices"
	"strings"
	"testing"
)

func TestHead(t *testing.T) {
	for _, c := range []struct {
		rule      string
		text      string
		request   Request
		delimiter byte
		header    bool
		columns   []string
	}{
		{"commas", "a,b\n1,2\n", Request{}, ',', true, []string{"a", "b"}},
		{"semicolons beside decimal commas", "name;value\nx;1,50\ny;2,50\n", Request{}, ';', true,
			[]string{"name", "value"}},
		{"tabs", "a\tb\n1,5\t2\n", Request{}, '\t', true, []string{"a", "b"}},
		{"pipes", "a|b|c\n1|2|3\n", Request{}, '|', true, []string{"a", "b", "c"}},
		{"semicolons without a header, beside decimal commas", "1,50;2,50\n3,00;4,00\n", Request{}, ';', false,
			[]string{"#1", "#2"}},
		{"one column of decimal commas", "value\n1,50\n2,75\n", Request{}, '|', true, []string{"value"}},
		{"a delimiter within quotes does not count", "a,b\n\"1;2;3\",x\n\"4;5;6\",y\n", Request{}, ',', true,
			[]string{"a", "b"}},
		{"the delimiter that was asked for", "a,b;c\n1,2;3\n", Request{Delimiter: ';'}, ';', true,
			[]string{"a,b", "c"}},
		{"figures in the first line are a record", "A1,5.00\nA2,6.00\n", Request{}, ',', false, []string{"#1", "#2"}},
		{"one line with a figure is a record", "A1,5.00\n", Request{}, ',', false, []string{"#1", "#2"}},
		{"months in a header are names", "account,2031-01,2031-02\n4000,1.00,2.00\n", Request{}, ',', true,
			[]string{"account", "2031-01", "2031-02"}},
		{"years in a header are names", "account,2031,2032\nsales,100,200\n", Request{}, ',', true,
			[]string{"account", "2031", "2032"}},
		{"words only are a header", "name,town\nAda,Corvane\n", Request{}, ',', true, []string{"name", "town"}},
		{"no header was asked for", "name,town\nAda,Corvane\n", Request{NoHeader: true}, ',', false,
			[]string{"#1", "#2"}},
		{"names lose the blanks around them", " a , b\n1,2\n", Request{}, ',', true, []string{"a", "b"}},
		{"lines above the header", "Journal\nprinted 2031-01-31\na,b\n1,2\n", Request{SkipLines: 2}, ',', true,
			[]string{"a", "b"}},
		{"lines above the first record", "Journal\n1,2\n3,4\n", Request{SkipLines: 1, NoHeader: true}, ',', false,
			[]string{"#1", "#2"}},
		{"more lines than there are", "a,b\n1,2\n", Request{SkipLines: 9}, ',', false, nil},
		{"a header of two lines", "account,January,,note\n,debit,credit,\n4000,1,2,x\n", Request{HeaderLines: 2}, ',',
			true, []string{"account", "January debit", "credit", "note"}},
		{"a header of two lines, the second one longer", "a;b\nx;y;z\n1;2;3\n", Request{HeaderLines: 2}, ';', true,
			[]string{"a x", "b y", "z"}},
		{"a header that was asked for though it looks like a record", "2031,1.50\n1,2\n", Request{HeaderLines: 1}, ',',
			true, []string{"2031", "1.50"}},
		{"a name that stands twice takes the next free form", "a,a,a_2\n1,2,3\n", Request{}, ',', true,
			[]string{"a", "a_2", "a_2_2"}},
		{"a column without a name is called by its position", "a,,c\n1,2,3\n", Request{}, ',', true,
			[]string{"a", "#2", "c"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			head, _ := readAll(t, c.text, c.request, BlockSize)
			if head.Dialect.Delimiter != c.delimiter || head.HasHeader() != c.header ||
				!reflect.DeepEqual(head.Layout.Columns, c.columns) {
				t.Errorf("%q is written with %q, header %v, columns %v", c.text, head.Dialect.Delimiter,
					head.HasHeader(), head.Layout.Columns)
			}
		})
	}
}

// A first line decides for all sources that begin with it, so the head must
// not depend on which of them came first.
func TestHeadDoesNotDependOnOrder(t *testing.T) {
	texts := []string{"a,b\n1,2\n", "a,b\n1;2,3\n", "a,b\nx,y\n", "a;b,c\n1;2,3\n", "a;b,c\n1,2;3\n"}
	for i := range texts {
		alone, _ := readAll(t, texts[i], Request{}, BlockSize)
		heads := NewHeads(Request{})
		for k := range texts {
			heads.Find([]byte(texts[(i+1+k)%len(texts)]), true)
		}
		if after := heads.Find([]byte(texts[i]), true); after.Dialect != alone.Dialect ||
			!reflect.DeepEqual(after.Layout.Columns, alone.Layout.Columns) {
			t.Errorf("%q is %+v alone and %+v behind the others", texts[i], alone.Dialect, after.Dialect)
		}
	}
}

// Headers in quotes, with a mark of UTF-8 or letters beyond ASCII are decided by their line as others are, and the head
// is the one that all of the text shows.
func TestHeadsThatTheirLineDecides(t *testing.T) {
	for text, want := range map[string]bool{
		"\"unit\",\"amount\"\n\"A\",1\n\"B\",2\n":          true,
		"\"unit\",amount\nA,1\nB,2\n":                      true,
		"\ufeffunit;amount\nA;1\nB;2\n":                    true,
		"Straße\tBetrag\r\nA\t1\r\nB\t2\r\n":               true,
		"\ufeff\"Straße\",\"Größe\"\n\"A, b\",1\n\"\",2\n": true,
		"\"unit, old\",\"amount\"\n\"A\",1\n\"B\",2\n":     false, // a delimiter in quotes may be one
		"\"un\"\"it\",\"amount\"\n\"A\",1\n\"B\",2\n":      false,
		"\"unit\",\"2031\"\n\"A\",1\n\"B\",2\n":            false, // may be a record
		"\"unit\",\"\"\n\"A\",1\n\"B\",2\n":                false,
		"\"unit\";\"amount\",x\n\"A\";1,2\n":               false,
		"unit,\"amount\nof\"\nA,1\nB,2\n":                  false,
		"un\xeft,amount\nA,1\nB,2\n":                       false,
		"unit,amount\n\"A,b\",1,2\nB,1,2\n":                false, // the record has more fields
		"\"unit\",\"amount\"\n\"A\",\"b\"\n\"B\",1\n":      false, // nor a digit
	} {
		heads := NewHeads(Request{})
		got := heads.Find([]byte(text), true)
		if known := len(heads.known) > 0; known != want {
			t.Errorf("%q is decided by its line: %v", text, known)
		}
		if full := find([]byte(text), true, Request{}); !reflect.DeepEqual(got, full) {
			t.Errorf("%q has the head\n%+v by its line, and\n%+v by all of it", text, got, full)
		}
		literal := NewHeads(Request{NoQuotes: true})
		got = literal.Find([]byte(text), true)
		if full := find([]byte(text), true, Request{NoQuotes: true}); !reflect.DeepEqual(got, full) {
			t.Errorf("%q has the head\n%+v by its line without quotes, and\n%+v by all of it", text, got, full)
		}
	}
}

// However much is read at first, the head is the same.
func TestHeadDoesNotDependOnHowMuchIsRead(t *testing.T) {
	long := strings.Repeat("x", 3000)
	for _, text := range []string{
		"a,b\n1,2\n",
		"\ufeffname;town\n" + strings.Repeat("Ada;"+long+",,,\n", 100),
		strings.Repeat("A1;"+long+";5,00\n", 100),
		"\n\r\n" + strings.Repeat("c,", 60_000) + "c\n" + strings.Repeat("1,", 60_000) + "1\n",
		"a,b\r" + strings.Repeat("1,2\r", 50_000),
		strings.Repeat("1,2\r", 30_000) + "\n",
	} {
		var want *Head
		for _, size := range []int{0, 1, 100, sampleSize, sampleSize + 1, len(text) + 1} {
			cutter := NewCutter(strings.NewReader(text), 1<<24, nil, NewHeads(Request{}).Find)
			if size == 0 {
				if _, _, err := cutter.Next(nil); err != nil {
					t.Fatal(err)
				}
				want = cutter.Head()
				continue
			}
			if err := cutter.Peek(size); err != nil {
				t.Fatal(err)
			}
			if got := cutter.Head(); !reflect.DeepEqual(got, want) {
				t.Errorf("%.20q… is %+v with %d bytes at first, and %+v as a block", text, got.Dialect, size,
					want.Dialect)
			}
		}
	}
}

// Lines above the header, be they more than the records, and a header that is one name short.
func TestHeadsFarDown(t *testing.T) {
	for _, above := range []int{24, 30, 60, 700} {
		text := strings.Repeat("a line of the preamble\n", above) +
			"doc;posted;debit\nA;2031-01-03;1,50\nB;2031-01-04;2,00\nC;2031-01-05;3\n"
		cutter := NewCutter(strings.NewReader(text), MaxRecord, nil, NewHeads(Request{}).Find)
		if err := cutter.Peek(1 << 20); err != nil {
			t.Fatal(err)
		}
		head := cutter.Head()
		if head.Above != above || head.Delimiter != ';' ||
			!slices.Equal(head.Layout.Columns, []string{"doc", "posted", "debit"}) || head.Line != above+1 {
			t.Errorf("below %d lines: %d above, delimiter %q, columns %q, on line %d", above, head.Above,
				head.Delimiter, head.Layout.Columns, head.Line)
		}
	}
}

func TestOneColumnOfSeveralParts(t *testing.T) {
	for text, want := range map[string]bool{
		"guest\nAnn Berg\nUwe Lund\n": true, "all\nD1#5#x\nD2#7#y\n": true, "all\nD1/5\nD2/7\n": true,
		"code\nA-1\nB_2\n": false, "amount\n1 234.50\n2 300.00\n": false, "posted\n31/01/2031\n30/01/2031\n": false,
		"mail\na@b.example\n": false,
	} {
		cutter := NewCutter(strings.NewReader(text), MaxRecord, nil, NewHeads(Request{}).Find)
		if err := cutter.Peek(1 << 10); err != nil {
			t.Fatal(err)
		}
		if got := cutter.Head().Several; got != want {
			t.Errorf("%q: %v", text, got)
		}
	}
}
