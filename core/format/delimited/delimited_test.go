package delimited

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"lastblock/core/record"
)

// read is a record as the tests compare it.
type read struct {
	Line   int
	Fields []string
}

// outcome is all that comes of a source.
type outcome struct {
	Records  []read
	Refused  []string // "line reason raw"
	Blank    int
	Repeated []int
}

// readAll reads text in blocks of the given size.
func readAll(t testing.TB, text string, request Request, block int) (*Head, outcome) {
	t.Helper()
	cutter := NewCutter(strings.NewReader(text), 1<<24, nil, NewHeads(request).Find)
	cutter.block = block
	var (
		out     outcome
		batch   record.Batch
		buffer  []byte
		scratch []byte
	)
	last := false
	for {
		b, used, err := cutter.Next(buffer)
		if errors.Is(err, io.EOF) {
			if !last {
				t.Errorf("in blocks of %d, no block of %q is the last one", block, text)
			}
			return cutter.Head(), out
		}
		if last {
			t.Errorf("in blocks of %d, something follows the last block of %q", block, text)
		}
		last = b.Last
		if err != nil {
			t.Fatalf("reading %q: %v", text, err)
		}
		buffer = used
		head := cutter.Head()
		scanner := Scanner{Dialect: head.Dialect, Width: len(head.Layout.Columns), Header: head.Header}
		scanner.Scan(b, &batch)
		for row := range batch.Rows {
			r := read{Line: batch.Line(row)}
			for column := range batch.Width {
				r.Fields = append(r.Fields, string(batch.Text(row, column, &scratch)))
			}
			out.Records = append(out.Records, r)
		}
		for _, refusal := range batch.Refused {
			out.Refused = append(out.Refused, fmt.Sprintf("%d %d %s", refusal.Line, refusal.Reason, refusal.Raw))
		}
		out.Blank += batch.Blank
		out.Repeated = append(out.Repeated, batch.Repeated...)
	}
}

func TestReading(t *testing.T) {
	for _, c := range []struct {
		rule string
		text string
		want outcome
	}{
		{"lines may end in LF", "a,b\n1,2\n3,4\n",
			outcome{Records: []read{{2, []string{"1", "2"}}, {3, []string{"3", "4"}}}}},
		{"lines may end in CR LF", "a,b\r\n1,2\r\n3,4\r\n",
			outcome{Records: []read{{2, []string{"1", "2"}}, {3, []string{"3", "4"}}}}},
		{"lines may end in CR", "a,b\r1,2\r3,4\r",
			outcome{Records: []read{{2, []string{"1", "2"}}, {3, []string{"3", "4"}}}}},
		{"CR LF and LF may be mixed", "a,b\n1,2\r\n3,4\n",
			outcome{Records: []read{{2, []string{"1", "2"}}, {3, []string{"3", "4"}}}}},
		{"the last line end may be missing", "a,b\n1,2", outcome{Records: []read{{2, []string{"1", "2"}}}}},
		{"the last line may end in a lone CR", "a,b\n1,2\r", outcome{Records: []read{{2, []string{"1", "2"}}}}},
		{"a byte-order mark is no part of the first name", "\ufeffa,b\n1,2\n",
			outcome{Records: []read{{2, []string{"1", "2"}}}}},
		{"quotes hold delimiters, quotes and line breaks", "a,b\n\"1,5\",\"say \"\"yes\"\"\"\n\"x\r\ny\",2\nz,3\n",
			outcome{Records: []read{{2, []string{"1,5", `say "yes"`}}, {3, []string{"x\r\ny", "2"}},
				{5, []string{"z", "3"}}}}},
		{"a quote within an unquoted field is text", "a,b\n12\" pipe,2\n",
			outcome{Records: []read{{2, []string{`12" pipe`, "2"}}}}},
		{"blanks stay", "a,b\n 1 ,\" 2 \"\n", outcome{Records: []read{{2, []string{" 1 ", " 2 "}}}}},
		{"a lone CR within a line is text", "a,b\n1\r2,3\n", outcome{Records: []read{{2, []string{"1\r2", "3"}}}}},
		{"a NUL byte is text", "a,b\n\x00,2\n", outcome{Records: []read{{2, []string{"\x00", "2"}}}}},
		{"blank lines are no records", "a,b\n\n1,2\n\r\n\n3,4\n",
			outcome{Records: []read{{3, []string{"1", "2"}}, {6, []string{"3", "4"}}}, Blank: 3}},
		{"too few and too many fields are refused", "a,b\n1\n1,2\n1,2,3\n",
			outcome{Records: []read{{3, []string{"1", "2"}}}, Refused: []string{"2 0 1", "4 0 1,2,3"}}},
		{"two wrong lines whose fields add up are both refused", "a,b\n1\n1,2,3\n9,9\n",
			outcome{Records: []read{{4, []string{"9", "9"}}}, Refused: []string{"2 0 1", "3 0 1,2,3"}}},
		{"the header in the middle is no record", "a,b\n1,2\na,b\n3,4\n",
			outcome{Records: []read{{2, []string{"1", "2"}}, {4, []string{"3", "4"}}}, Repeated: []int{3}}},
		{"a quote never closed costs its line alone", "a,b\n1,2\n\"3,4\n5,6\n7,8\n",
			outcome{Records: []read{{2, []string{"1", "2"}}, {4, []string{"5", "6"}}, {5, []string{"7", "8"}}},
				Refused: []string{`3 1 "3,4`}}},
		{"a forgotten quote does not reach to the next quoted field", "a,b\n\"1,2\n3,4\n\"5\",6\n",
			outcome{Records: []read{{3, []string{"3", "4"}}, {4, []string{"5", "6"}}}, Refused: []string{`2 1 "1,2`}}},
		{"the finding names the line on which the quote opened", "a,b\n\"1\n1\",\"2\n3,4\n",
			outcome{Records: []read{{4, []string{"3", "4"}}}, Refused: []string{"3 1 \"1\n1\",\"2"}}},
		{"text behind a closing quote", "a,b\n\"1\"x,2\n3,4\n",
			outcome{Records: []read{{3, []string{"3", "4"}}}, Refused: []string{`2 2 "1"x,2`}}},
		{"a quoted empty field", "a,b\n\"\",2\n", outcome{Records: []read{{2, []string{"", "2"}}}}},
		{"a header that holds a line break", "\"a\nx\",b\n1,2\n", outcome{Records: []read{{3, []string{"1", "2"}}}}},
		{"blank lines above the header", "\n\r\na,b\n1,2\n", outcome{Records: []read{{4, []string{"1", "2"}}}}},
		{"a header alone", "a,b\n", outcome{}},
		{"nothing", "", outcome{}},
		{"a byte-order mark and nothing else", "\ufeff", outcome{}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			for _, block := range []int{1, 7, 64, BlockSize} {
				if _, got := readAll(t, c.text, Request{}, block); !reflect.DeepEqual(got, c.want) {
					t.Errorf("in blocks of %d: %q\n got %+v\nwant %+v", block, c.text, got, c.want)
				}
			}
		})
	}
}

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

func TestRecordsLongerThanABlock(t *testing.T) {
	long := strings.Repeat("x", 3*BlockSize)
	text := "a,b\n" + long + ",1\n\"" + long + "\n" + long + "\",2\n3,4\n"
	_, got := readAll(t, text, Request{}, BlockSize)
	want := []read{{2, []string{long, "1"}}, {3, []string{long + "\n" + long, "2"}}, {5, []string{"3", "4"}}}
	if !reflect.DeepEqual(got.Records, want) {
		t.Errorf("%d records, refused %d", len(got.Records), len(got.Refused))
	}
}

func TestALineBeyondTheLimitIsAnError(t *testing.T) {
	text := "a,b\n1,2\n" + strings.Repeat("x", 5000)
	cutter := NewCutter(strings.NewReader(text), 2000, nil, NewHeads(Request{}).Find)
	cutter.block = 500
	var err error
	for buffer := []byte(nil); err == nil; {
		_, buffer, err = cutter.Next(buffer)
	}
	var tooLong *TooLongError
	if !errors.As(err, &tooLong) || tooLong.Line != 3 {
		t.Errorf("error is %v", err)
	}
}

// countAll reads what a cutter has left, of two columns: its records, the ones
// that are refused, and the line of the last one.
func countAll(t *testing.T, cutter *Cutter) (rows, refused, line int) {
	t.Helper()
	var batch record.Batch
	for buffer := []byte(nil); ; {
		block, used, err := cutter.Next(buffer)
		if err == io.EOF {
			return rows, refused, line
		}
		if err != nil {
			t.Fatal(err)
		}
		buffer = used
		(&Scanner{Dialect: cutter.Head().Dialect, Width: 2, Header: cutter.Head().Header}).Scan(block, &batch)
		rows, refused = rows+batch.Rows, refused+len(batch.Refused)
		if batch.Rows > 0 {
			line = batch.Line(batch.Rows - 1)
		}
	}
}

func TestAnUnclosedQuoteBeyondTheLimitCostsItsLineAlone(t *testing.T) {
	var text strings.Builder
	text.WriteString("a,b\n\"1,2\n")
	for i := range 1000 {
		fmt.Fprintf(&text, "%d,y\n", i)
	}
	cutter := NewCutter(strings.NewReader(text.String()), 2000, nil, NewHeads(Request{}).Find)
	cutter.block = 100
	rows, refused, _ := countAll(t, cutter)
	if rows != 1000 || refused != 1 {
		t.Errorf("%d records and %d refused, want 1000 and 1", rows, refused)
	}
}

// Line ends are found outside of quotes: a text of several lines says nothing about how
// the lines of the file end.
func TestLineEndsOutsideQuotes(t *testing.T) {
	for rule, c := range map[string]struct{ text, want string }{
		"CR, with LF within quotes": {"a;b\rx;\"1\n2\"\ry;3\r", "[{2 [x 1\n2]} {3 [y 3]}]"},
		"CR, with LF within quotes everywhere": {"\"a\";\"b\"\r\"x\n\";\"1\n2\n3\"\r\"y\n\";\"3\"",
			"[{2 [x\n 1\n2\n3]} {3 [y\n 3]}]"},
		// the CR within the text ends a line of the file, too
		"CR, with CR LF within quotes": {"a;b\rx;\"1\r\n2\"\ry;3\r", "[{2 [x 1\r\n2]} {4 [y 3]}]"},
		"CR LF, with CR within quotes": {"a;b\r\nx;\"1\r2\"\r\ny;3\r\n", "[{2 [x 1\r2]} {3 [y 3]}]"},
		"LF, with CR within quotes":    {"a;b\nx;\"1\r2\"\ny;3\n", "[{2 [x 1\r2]} {3 [y 3]}]"},
	} {
		_, got := readAll(t, c.text, Request{}, BlockSize)
		if text := fmt.Sprint(got.Records); text != c.want || got.Refused != nil {
			t.Errorf("%s: records %q, refused %q", rule, text, got.Refused)
		}
	}
}

func TestForeignFormats(t *testing.T) {
	for text, want := range map[string]string{
		"PK\x03\x04rest": "workbook", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1": "old binary", "%PDF-1.7": "PDF",
		"a,b\n\x00,1\n": "", "PK,b\n1,2\n": "", "": "",
	} {
		cutter := NewCutter(strings.NewReader(text), 1<<20, nil, NewHeads(Request{}).Find)
		_, _, err := cutter.Next(nil)
		var foreign *ForeignError
		switch {
		case want == "" && err != nil:
			t.Errorf("%q: %v", text, err)
		case want != "" && (!errors.As(err, &foreign) || !strings.Contains(foreign.Kind, want)):
			t.Errorf("%q: error is %v, want one that says %s", text, err, want)
		}
	}
}

func TestLinesStandWhereTheyStoodBelowAPreamble(t *testing.T) {
	preamble := strings.Repeat("printed by head office\n", 10_000)
	_, got := readAll(t, preamble+"a,b\nc,d\n1,2\n3,4\n", Request{SkipLines: 10_000, HeaderLines: 2}, BlockSize)
	if want := []read{{10_003, []string{"1", "2"}}, {10_004, []string{"3", "4"}}}; !reflect.DeepEqual(got.Records,
		want) {
		t.Errorf("records are %+v", got.Records)
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

// After a look, reading goes on with what was looked at.
func TestPeekLosesNothing(t *testing.T) {
	text := "\ufeffa,b\n" + strings.Repeat("1,\"x\ny\"\n", 15_000)
	for _, size := range []int{1, 1000, sampleSize + 1, len(text) + 1} {
		cutter := NewCutter(strings.NewReader(text), 1<<20, nil, NewHeads(Request{}).Find)
		if err := cutter.Peek(size); err != nil {
			t.Fatal(err)
		}
		if whole := cutter.Whole(); whole != (size > len(text)) {
			t.Errorf("after %d bytes the source is whole: %v", size, whole)
		}
		rows, _, line := countAll(t, cutter)
		if rows != 15_000 || line != 2+2*14_999 {
			t.Errorf("looked at %d bytes: %d records, the last on line %d", size, rows, line)
		}
	}
}

func TestAReadingErrorIsReturned(t *testing.T) {
	broken := errors.New("the cable is cut")
	source := io.MultiReader(strings.NewReader("a,b\n1,2\n"), iotest.ErrReader(broken))
	if _, _, err := NewCutter(source, 1<<20, nil, NewHeads(Request{}).Find).Next(nil); !errors.Is(err, broken) {
		t.Errorf("error is %v", err)
	}
}

func TestAppendFieldIsReadBack(t *testing.T) {
	for _, text := range []string{"", "plain", "a,b", `say "yes"`, "two\nlines", "cr\r", " blanks ", `"`, "é"} {
		line := append(AppendField(AppendField(nil, []byte(text), ','), nil, ','), []byte(",end")...)
		record, err := csv.NewReader(bytes.NewReader(line)).Read()
		if err != nil || record[0] != text {
			t.Errorf("%q is written as %q and read back as %q, %v", text, line, record, err)
		}
	}
}

// A byte that needs quotes is found wherever it stands, and no other is taken for one.
func TestNeedsQuotesAtEachPlace(t *testing.T) {
	for length := range 80 {
		// Neighbours of the bytes that are sought, and these with another topmost bit.
		for _, filling := range []byte{'x', 0, '!', '#', '+', '-', 0x0b, 0x0e, 0x8a, 0xac, 0xff} {
			text := bytes.Repeat([]byte{filling}, length)
			if needsQuotes(text, ',') {
				t.Fatalf("%q needs none", text)
			}
			for at := range text {
				for _, special := range []byte(",\"\n\r") {
					text[at] = special
					if !needsQuotes(text, ',') {
						t.Fatalf("%q needs quotes", text)
					}
				}
				text[at] = ','
				if needsQuotes(text, ';') {
					t.Fatalf("%q needs none beside semicolons", text)
				}
				text[at] = filling
			}
		}
	}
}

// FuzzReading compares with encoding/csv wherever that reads the text without
// an error, and small blocks with large ones always.
func FuzzReading(f *testing.F) {
	for _, seed := range []string{
		"a,b\n1,2\n", "a,b\r\n\"1\r\n\",2\r\n", "a\n\"\"\n", "x,\"y\nz\",\n,,\n", "\"a\"b,c\n", "a,\"b\n",
		"a,b\n\"1,2\n3,\"4\"\n", "\n\n,\n", "a,b\n1,2\r", "\"\"\"\"\n",
	} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 4<<10 {
			return // blocks of one byte take the square of its length
		}
		if checkForeign([]byte(text)) != nil {
			return
		}
		request := Request{Delimiter: ',', NoHeader: true}
		head, whole := readAll(t, text, request, BlockSize)
		for _, block := range []int{1, 3, 16} {
			if _, got := readAll(t, text, request, block); !reflect.DeepEqual(got, whole) {
				t.Fatalf("%q in blocks of %d:\n%+v\nin one:\n%+v", text, block, got, whole)
			}
		}
		if head.Dialect.LineEnd != '\n' || head.Mark {
			return // the stock reader knows neither
		}
		reader := csv.NewReader(strings.NewReader(text))
		reader.FieldsPerRecord = -1
		stock, err := reader.ReadAll()
		if err != nil {
			return
		}
		var want []read
		width := len(head.Layout.Columns)
		for _, fields := range stock {
			if len(fields) == width {
				want = append(want, read{Fields: fields})
			}
		}
		if len(want) != len(whole.Records) || len(stock) != len(whole.Records)+len(whole.Refused) {
			t.Fatalf("%q: %d records and %d refused, the stock reader has %d of %d: %q", text, len(whole.Records),
				len(whole.Refused), len(want), len(stock), stock)
		}
		for i, r := range whole.Records {
			for k, field := range r.Fields {
				// the stock reader makes CR LF within quotes LF
				if strings.ReplaceAll(field, "\r\n", "\n") != want[i].Fields[k] {
					t.Fatalf("%q: record %d is %q, the stock reader has %q", text, i, r.Fields, want[i].Fields)
				}
			}
		}
	})
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

// A record that ends early is filled up where it has enough fields, quoted or not, and the
// records around it stay what they are.
func TestShortRecordsAreFilledUp(t *testing.T) {
	text := "a,b,c,d\n1,2,3,4\n5,6\n7,8,\"9\"\n1\n2,\"x\ny\"\n3,4,5,6\n7,8,9"
	for _, c := range []struct {
		least   int
		cut     bool
		records string
		refused int
	}{
		{0, false, "1|2|3|4 3|4|5|6", 5},
		{2, false, "1|2|3|4 5|6|| 7|8|9| 2|x\ny|| 3|4|5|6", 2},
		{3, false, "1|2|3|4 7|8|9| 3|4|5|6", 4},
		{1, true, "1|2|3|4 5|6|| 7|8|9| 1||| 2|x\ny|| 3|4|5|6 7|8|9|", 0},
	} {
		cutter := NewCutter(strings.NewReader(text), MaxRecord, nil, NewHeads(Request{}).Find)
		block, _, err := cutter.Next(nil)
		if err != nil {
			t.Fatal(err)
		}
		var batch record.Batch
		head := cutter.Head()
		scanner := Scanner{Dialect: head.Dialect, Width: len(head.Layout.Columns), Header: head.Header,
			Least: func() int { return c.least }, Cut: c.cut}
		scanner.Scan(block, &batch)
		var records []string
		var scratch []byte
		for row := range batch.Rows {
			var texts []string
			for column := range batch.Width {
				texts = append(texts, string(batch.Text(row, column, &scratch)))
			}
			records = append(records, strings.Join(texts, "|"))
			if raw := string(batch.Raw(row)); strings.Count(raw, ",") != 3 || strings.HasSuffix(raw, "\n") {
				t.Errorf("least %d: the record is %q", c.least, raw)
			}
		}
		if got := strings.Join(records, " "); got != c.records || len(batch.Refused) != c.refused ||
			batch.Rows-len(batch.Padded) != 2 {
			t.Errorf("least %d: records %q, %d refused, %d padded; want %q and %d", c.least, got, len(batch.Refused),
				len(batch.Padded), c.records, c.refused)
		}
	}
}

// Where a quote means nothing, a record ends with its line.
func TestQuotesThatMeanNothing(t *testing.T) {
	text := "a,b\n\"1,\"2\n3\",\"4\"\n\"\"\"\",\n"
	cutter := NewCutter(strings.NewReader(text), MaxRecord, nil, NewHeads(Request{NoQuotes: true}).Find)
	block, _, err := cutter.Next(nil)
	if err != nil {
		t.Fatal(err)
	}
	var batch record.Batch
	head := cutter.Head()
	(&Scanner{Dialect: head.Dialect, Width: 2, Header: head.Header}).Scan(block, &batch)
	var got []string
	var scratch []byte
	for row := range batch.Rows {
		got = append(got, string(batch.Text(row, 0, &scratch))+"|"+string(batch.Text(row, 1, &scratch)))
	}
	if want := []string{`"1|"2`, `3"|"4"`, `""""|`}; !slices.Equal(got, want) || len(batch.Refused) != 0 ||
		batch.Plain {
		t.Errorf("records are %q, %d refused, plain %v; want %q", got, len(batch.Refused), batch.Plain, want)
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

// Reading can be taken up again at the start of any block, whatever has been read ahead.
func TestResume(t *testing.T) {
	var text strings.Builder
	text.WriteString("k,v\n")
	for i := range 500 {
		fmt.Fprintf(&text, "%d,\"a\nb, %d\"\n", i, i*i)
	}
	blocks := func(c *Cutter) (all []Block) {
		for {
			block, _, err := c.Next(nil)
			if errors.Is(err, io.EOF) {
				return all
			}
			if err != nil {
				t.Fatal(err)
			}
			block.Data = bytes.Clone(block.Data)
			all = append(all, block)
		}
	}
	start := func() *Cutter {
		c := NewCutter(strings.NewReader(text.String()), 1<<20, nil, NewHeads(Request{}).Find)
		c.block = 700
		return c
	}
	whole := blocks(start())
	if len(whole) < 5 {
		t.Fatalf("there are %d blocks", len(whole))
	}
	for i := range whole {
		for before := 1; before <= len(whole); before += 3 { // blocks that were read until then
			c := start()
			for range before {
				if _, _, err := c.Next(nil); err != nil {
					t.Fatal(err)
				}
			}
			from := whole[i].Offset
			c.Resume(strings.NewReader(text.String()[from:]), whole[i].FirstLine, from)
			if got := blocks(c); !reflect.DeepEqual(got, whole[i:]) {
				t.Fatalf("from block %d, behind %d others, it is %d blocks", i, before, len(got))
			}
		}
	}
}
