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
		"{\\rtf1\\ansi}": "RTF",
		"a,b\n\x00,1\n":  "", "PK,b\n1,2\n": "", "": "",
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
