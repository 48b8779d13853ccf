package source

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
)

// reading collects the records of a set as texts.
type collector struct {
	set     *Set
	head    *Head
	records []string
	refused []string
	notes   []string
}

func (c *collector) Batch(b *Batch) error {
	c.head = b.Head
	var scratch []byte
	for row := range b.Batch.Rows {
		text := fmt.Sprintf("%d:", b.Line(row))
		for column := range b.Width {
			text += "|" + string(b.Text(row, column, &scratch))
		}
		c.records = append(c.records, text)
	}
	for _, r := range b.Refused {
		c.refused = append(c.refused, fmt.Sprintf("%d %s %s", r.Line, r.Column, r.Found))
	}
	for _, line := range b.Totals {
		c.notes = append(c.notes, fmt.Sprintf("total on line %d: %v", line.Line, line.Columns))
	}
	for _, line := range b.Doubtful {
		c.notes = append(c.notes, fmt.Sprintf("doubt on line %d: %v", line.Line, line.Off))
	}
	if b.Hidden > 0 {
		c.notes = append(c.notes, fmt.Sprintf("%d rows hidden", b.Hidden))
	}
	return nil
}

func (c *collector) Flush(context.Context, int) error { return nil }

// read reads what a path names.
func read(path string, manner Manner) (*collector, error) {
	set, err := Find(context.Background(), Search{Paths: []string{path}, Manner: &manner, Jobs: 2})
	if err != nil {
		return nil, err
	}
	c := &collector{set: set}
	return c, set.Scan(context.Background(), Reading{Jobs: 1, Memory: 1 << 26}, func() Visitor { return c })
}

func mustRead(t *testing.T, path string, manner Manner) *collector {
	t.Helper()
	c, err := read(path, manner)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func want(t *testing.T, what string, got, want []string) {
	t.Helper()
	if !slices.Equal(got, want) {
		t.Errorf("%s are\n%s\nwant\n%s", what, strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// The five records that testdata/make.py writes in every format, from a line on.
func fiveRecords(from int) []string {
	records := []string{
		"|D1|00417|2031-01-03|1234.5||4006381333931", "|D2|40000|2031-01-31|0.3||4006381333932",
		"|D3|00005|2031-02-28||99.99|4006381333933", "|D4|00417|2031-03-01|-12|0|4006381333934",
		"|D5|00417|2031-12-31|1000000||4006381333935",
	}
	for i := range records {
		records[i] = fmt.Sprintf("%d:%s", from+i, records[i])
	}
	return records
}

var twoRows = delimited.Request{HeaderLines: 2}

func TestJSON(t *testing.T) {
	for _, c := range []struct {
		name, text, at string
		columns        []string
		records        []string
		refused        []string
	}{
		{"an array", `[{"a": 1.10, "b": {"c": "x", "d": null}},
			{"b": {"c": "\u00e9\"\n"}, "e": [1, 2], "a": 12345678901234567890.125}]`, "",
			[]string{"a", "b.c", "b.d", "e"}, []string{"1:|1.10|x||", "2:|12345678901234567890.125|é\"\n||[1, 2]"},
			nil},
		{"an object that holds one", `{"store": "x", "rows": [{"a": true}, {"a": 1e3}], "n": 2}`, "", []string{"a"},
			[]string{"1:|true", "1:|1000"}, nil},
		{"one of several arrays", `{"x": [{"q": 1}], "y": {"z~/": [{"a": 1}]}}`, "/y/z~0~1", []string{"a"},
			[]string{"1:|1"}, nil},
		{"a plain object", `{"store": "x", "total": 12.50, "tags": []}`, "", []string{"store", "total", "tags"},
			[]string{"1:|x|12.50|[]"}, nil},
		{"an object further down", `{"x": {"a": 1}, "rows": [{"b": 2}]}`, "/x", []string{"a"}, []string{"1:|1"}, nil},
		{"lines", "{\"a\":1}\n\n{\"a\":2,\"b\":\"x\"}\r\n{\"a\":3}", "", []string{"a", "b"},
			[]string{"1:|1|", "3:|2|x", "4:|3|"}, nil},
		{"objects of several lines", "{\n \"a\": 1\n}\n{\n \"a\": 2\n}\n", "", []string{"a"}, []string{"1:|1", "4:|2"},
			nil},
		{"a broken line", "{\"a\":1}\n{\"a\":\"x\n{\"a\":2}\n{\"a\":3,\"a\":4}\nnone\n{\"a\":5}\n", "", []string{"a"},
			[]string{"1:|1", "3:|2", "6:|5"},
			[]string{"2  {\"a\":\"x", "4 a 4", "5  none"}},
		{"a broken first line", "{\"a\":\"x\n{\"a\":2}\n", "", []string{"a"}, []string{"2:|2"},
			[]string{"1  {\"a\":\"x"}},
		{"an array with something else", `[{"a":1}, null, {"a":2}]`, "", []string{"a"}, []string{"1:|1", "1:|2"},
			[]string{"1  null"}},
		{"a key with a dot and the same within", `[{"a.b": 1}, {"a": {"b": 2}}]`, "", []string{"a.b"},
			[]string{"1:|1", "1:|2"}, nil},
		{"nothing", " \n", "", []string{}, nil, nil},
		{"an empty array", "[]", "", []string{}, nil, nil},
		{"UTF-16", "\xff\xfe[\x00{\x00\"\x00a\x00\"\x00:\x001\x00}\x00]\x00", "", []string{"a"}, []string{"1:|1"}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			path := filepath.Join(folder(t, map[string]string{"x.json": c.text}), "x.json")
			got := mustRead(t, path, Manner{At: c.at})
			want(t, "columns", got.head.Layout.Columns, c.columns)
			want(t, "records", got.records, c.records)
			want(t, "refused records", got.refused, c.refused)
		})
	}
}

func TestJSONThatCannotBeRead(t *testing.T) {
	for text, wanted := range map[string]string{
		`[{"a": 1}, {"a": 2}`: "line 1: the JSON ends where a comma, or the end of the array is " +
			"expected",
		"[{\"a\": 1},\n{\"a\": ":              "line 2: the JSON ends where the end of a value is expected",
		`[{"a": 1} {"a": 2}]`:                 `line 1: "{" stands where JSON has a comma`,
		`{"x": [{"a": 1}], "y": [{"a": 1}]}`:  "say which one with ⟨at⟩\nthere is: /x, /y",
		`12`:                                  "an object, or an array of objects",
		strings.Repeat(`[{"a":`, 3000):        "",
		`{"a":` + strings.Repeat(`[`, 100000): "",
	} {
		path := filepath.Join(folder(t, map[string]string{"x.json": text}), "x.json")
		if _, err := read(path, Manner{}); err == nil || !strings.Contains(err.Error(), wanted) {
			t.Errorf("%.60s: error is %v, want one that says %q", text, err, wanted)
		}
	}
	path := filepath.Join(folder(t, map[string]string{"x.json": `{"data": {"rows": []}}`}), "x.json")
	for at, wanted := range map[string]string{"/date": `there is no "date"`, "/data/rows/0": `no element "0"`,
		"/data/rows/0/x": "no element"} {
		if _, err := read(path, Manner{At: at}); err == nil || !strings.Contains(err.Error(), wanted) {
			t.Errorf("%s: error is %v", at, err)
		}
	}
}

func TestArchive(t *testing.T) {
	book, err := os.ReadFile("testdata/epoch1904.xlsx")
	if err != nil {
		t.Fatal(err)
	}
	archive := string(zipOf(t, map[string]string{
		"jan/x.csv": "a;b\n1;2\n", "feb.json": `[{"a":5}]`, "__MACOSX/._x.csv": "junk", "../../up.csv": "a\n9\n",
		"book.xlsx": string(book), "in.zip": "PK", "read.pdf": "x", "y.csv.gz": zipped(t, "a\n3\n"),
	}))
	dir := folder(t, map[string]string{"month.zip": archive, "cut.txt": "a\n1\n"})
	c := mustRead(t, dir, Manner{})
	var names, passed []string
	for i := range c.set.Sources {
		names = append(names, c.set.Sources[i].Name)
	}
	for _, p := range c.set.PassedOver {
		passed = append(passed, p.Source+": "+p.Reason)
	}
	want(t, "sources", names, []string{"cut.txt", "month.zip/book.xlsx", "month.zip/feb.json", "month.zip/jan/x.csv",
		"month.zip/up.csv", "month.zip/y.csv.gz"})
	want(t, "what was passed over", passed, []string{
		"month.zip/__MACOSX/._x.csv: hidden file",
		"month.zip/in.zip: an archive within an archive; unpack it to read it",
		"month.zip/read.pdf: format .pdf is not read",
	})
	want(t, "records", c.records, []string{"2:|1", "2:|2031-01-03|1", "3:|1904-01-02|2", "1:|5", "2:|1|2", "2:|9",
		"2:|3"})
	if _, err := os.Stat(filepath.Join(dir, "..", "up.csv")); err == nil {
		t.Error("an entry was written where its name points")
	}
	for name, content := range map[string]string{"cut.zip": archive[:len(archive)/2], "none.zip": "a,b\n1,2\n"} {
		path := filepath.Join(folder(t, map[string]string{name: content}), name)
		if _, err := read(path, Manner{}); err == nil || !strings.Contains(err.Error(), "damaged or was cut off") {
			t.Errorf("%s: error is %v", name, err)
		}
	}
}

// zipped packs a text with gzip.
func zipped(t *testing.T, text string) string {
	t.Helper()
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	if _, err := io.WriteString(w, text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// A small file may not unpack to more than any honest one does.
func TestBombs(t *testing.T) {
	bomb := zipOf(t, map[string]string{"a.csv": "a\n" + strings.Repeat("\n", 300<<20)})
	path := filepath.Join(folder(t, map[string]string{"bomb.zip": string(bomb)}), "bomb.zip")
	var tooMuch *decode.BombError
	if _, err := Find(context.Background(), Search{Paths: []string{path}}); !errors.As(err, &tooMuch) {
		t.Errorf("the archive that says so itself: error is %v", err)
	}
	packed := zipped(t, "a\n"+strings.Repeat("\n", 300<<20))
	path = filepath.Join(folder(t, map[string]string{"bomb.csv.gz": packed}), "bomb.csv.gz")
	set, err := Find(context.Background(), Search{Paths: []string{path}})
	if err != nil {
		t.Fatal(err)
	}
	file, err := set.Sources[0].open()
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	content, err := decode.NewReader(file, decode.Gzip, int64(len(packed)))
	if err != nil {
		t.Fatal(err)
	}
	defer content.Close()
	if n, err := io.Copy(io.Discard, content); !errors.As(err, &tooMuch) || n > 300<<20 {
		t.Errorf("error is %v after %d bytes", err, n)
	}
}

func TestLayoutOfText(t *testing.T) {
	for _, c := range []struct {
		name, text string
		manner     Manner
		columns    []string
		records    []string
		notes      []string
		above      int
	}{
		{"lines above the header", "Corvane Ropeway\nprinted;03.04.2031\n\ndoc;posted;amount\nC1;02.01.2031;1,50\n" +
			"C2;03.01.2031;2,50\n", Manner{},
			[]string{"doc", "posted", "amount"}, []string{"5:|C1|02.01.2031|1,50", "6:|C2|03.01.2031|2,50"}, nil, 2},
		{"a total line", "doc;text;amount\nC1;x;1.234,50\nC2;y;12,50\nTotal;;1.247,00\n", Manner{},
			[]string{"doc", "text", "amount"}, []string{"2:|C1|x|1.234,50", "3:|C2|y|12,50"},
			[]string{"total on line 4: [amount]"}, 0},
		{"a short total line", "doc,amount,note\nC1,1,x\nC2,2,y\nSum:,3\n\n", Manner{},
			[]string{"doc", "amount", "note"}, []string{"2:|C1|1|x", "3:|C2|2|y"},
			[]string{"total on line 4: [amount]"}, 0},
		{"a record that is no total line", "party,text,amount\nx,y,1\nTotal Ropes Ltd,pass,3\n", Manner{},
			[]string{"party", "text", "amount"}, []string{"2:|x|y|1", "3:|Total Ropes Ltd|pass|3"}, nil, 0},
		{"an index column", ",doc,amount\n0,C1,1\n1,C2,2\n,Total,3\n", Manner{},
			[]string{"doc", "amount"}, []string{"2:|C1|1", "3:|C2|2"}, []string{"total on line 4: [amount]"}, 0},
		{"numbers that are no index", ",doc,amount\n7,C1,1\n8,C2,2\n", Manner{},
			[]string{"#1", "doc", "amount"}, []string{"2:|7|C1|1", "3:|8|C2|2"}, nil, 0},
		{"runs of blanks", "doc   amount n\n C1  1.50\t x \n\"C 2\"  2 y\n",
			Manner{Blanks: true, Request: delimited.Request{Delimiter: '\t'}},
			[]string{"doc", "amount", "n"}, []string{"2:|C1|1.50|x", "3:|C 2|2|y"}, nil, 0},
		{"a code page", "doc,text\nC1,caf\xe9\nC2,\x80 \x93x\x94\n", Manner{}, []string{"doc", "text"},
			[]string{"2:|C1|café", "3:|C2|€ “x”"}, nil, 0},
		{"a named code page", "doc,text\nC1,\xb1\n", Manner{Encoding: "iso-8859-2"}, []string{"doc", "text"},
			[]string{"2:|C1|ą"}, nil, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			path := filepath.Join(folder(t, map[string]string{"x.csv": c.text}), "x.csv")
			got := mustRead(t, path, c.manner)
			want(t, "columns", got.head.Layout.Columns, c.columns)
			want(t, "records", got.records, c.records)
			want(t, "notes", got.notes, c.notes)
			if got.head.Above != c.above {
				t.Errorf("%d lines stand above", got.head.Above)
			}
		})
	}
}

// The mark of a source is that of its amounts, wherever in it the first one
// stands that proves it.
func TestDecimalMarkOfEachSource(t *testing.T) {
	filler := strings.Repeat("x;1.234\n", 80_000) // more than is read at once
	plain := strings.Repeat("x;12\n", 80_000)
	for _, c := range []struct {
		name, text string
		asked      byte
		decimal    byte
		unclear    string
	}{
		{"proven at once", "a;b\nx;1,50\n", 0, ',', ""},
		{"proven at the end", "a;b\n" + filler + "x;0,5\n", 0, ',', ""},
		{"nothing but whole numbers until the end", "a;b\n" + plain + "x;2,5\n", 0, ',', ""},
		{"not proven", "a;b\nx;2\nx;1.234\n", 0, '.', "b 3 1.234"},
		{"asked for", "a;b\nx;1.234\n", ',', ',', ""},
		{"no amounts", "a;b\nx;y\n", 0, '.', ""},
	} {
		path := filepath.Join(folder(t, map[string]string{"x.csv": c.text}), "x.csv")
		set, err := Find(context.Background(), Search{Paths: []string{path}, Manner: &Manner{Decimal: c.asked}})
		if err != nil {
			t.Fatal(err)
		}
		var decimal byte
		unclear := ""
		visitor := visitFunc(func(b *Batch) {
			decimal = b.Decimal
			for _, u := range b.Unclear {
				unclear = fmt.Sprint(u.Column, " ", u.Line, " ", u.Found)
			}
		})
		if err := set.Scan(context.Background(), Reading{Jobs: 1, Memory: 1 << 26},
			func() Visitor { return visitor }); err != nil {
			t.Fatal(err)
		}
		if decimal != c.decimal || unclear != c.unclear {
			t.Errorf("%s: mark is %q, unclear %q", c.name, decimal, unclear)
		}
	}
}

type visitFunc func(b *Batch)

func (f visitFunc) Batch(b *Batch) error             { f(b); return nil }
func (f visitFunc) Flush(context.Context, int) error { return nil }

// Several goroutines read what one does, in every format.
func TestFormatsReadBySeveral(t *testing.T) {
	var lines strings.Builder
	for i := range 200_000 {
		fmt.Fprintf(&lines, "{\"n\":%d,\"text\":\"some text\",\"amount\":%d.50}\n", i, i)
	}
	path := filepath.Join(folder(t, map[string]string{"x.jsonl": lines.String()}), "x.jsonl")
	set, err := Find(context.Background(), Search{Paths: []string{path}})
	if err != nil {
		t.Fatal(err)
	}
	if got := scanAll(t, set, 4); len(got) != 200_000 || got[123_456] != "x.jsonl:123457 123456" {
		t.Errorf("%d records, one is %q", len(got), got[123_456])
	}
}

// What is no text is an error whatever its name, and does not become columns.
func TestBinaryContentIsNoText(t *testing.T) {
	for content, want := range map[string]string{
		"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR": "a picture", "\x7fELF\x02\x01\x01\x00\x00": "a program",
		"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1": ".xls",
		strings.Repeat("ab\x00\x01", 40):   "binary content", "\x1f\x8b\x08": "unpacking", "%PDF-1.7\n": "a PDF",
	} {
		path := filepath.Join(t.TempDir(), "a.csv")
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
		set, err := Find(t.Context(), Search{Paths: []string{path}})
		if err != nil {
			t.Fatal(err)
		}
		err = set.Scan(t.Context(), Reading{Jobs: 1, Memory: 1 << 20}, func() Visitor { return nobody{} })
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error is %v, want one that says %s", content, err, want)
		}
	}
}

// nobody visits, and looks at nothing.
type nobody struct{}

func (nobody) Batch(*Batch) error               { return nil }
func (nobody) Flush(context.Context, int) error { return nil }

// What other programs write as text, see testdata/make.py.
func TestTextOfOtherPrograms(t *testing.T) {
	passes := []string{"|2031-03-01|day pass|5.00", "|2031-03-02|season pass|12.25", "|2031-03-03||0.50"}
	named := []string{"|D1|2031-03-01|5", "|D2|2031-03-02|12.25"}
	for _, c := range []struct {
		file    string
		columns string
		records []string
	}{
		{"column.txt", "posted text debit", passes},
		{"blanks.txt", "posted text debit", []string{"|2031-03-01|day|5.00", "|2031-03-02|season|12.25",
			"|2031-03-03|-|0.50"}},
		{"rownames.csv", "#1 posted debit", named},
		{"rownames.txt", "#1 posted debit", named},
	} {
		got := mustRead(t, "testdata/"+c.file, Manner{})
		if columns := strings.Join(got.head.Layout.Columns, " "); columns != c.columns {
			t.Errorf("%s: columns are %s, want %s", c.file, columns, c.columns)
		}
		for i := range got.records {
			_, got.records[i], _ = strings.Cut(got.records[i], ":")
		}
		want(t, c.file+": records", got.records, c.records)
	}
}

// Pictures, archives and other content of other programs are known by how they begin, see
// testdata/make.py.
func TestForeignFilesOfOtherPrograms(t *testing.T) {
	set, err := Find(t.Context(), Search{Paths: []string{"testdata/foreign"}, Jobs: 1})
	if err != nil || len(set.Sources) != 5 {
		t.Fatalf("%v: %d files", err, len(set.Sources))
	}
	err = set.Scan(t.Context(), Reading{Jobs: 1, Memory: 1 << 20}, func() Visitor { return nobody{} })
	if err == nil || !strings.Contains(err.Error(), "database.csv: this is a database") {
		t.Errorf("of nothing else the error is %v", err)
	}
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS("testdata/foreign")); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "a.csv"), []byte("doc,debit\nD1,5\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, look := range []bool{false, true} {
		if set, err = Find(t.Context(), Search{Paths: []string{dir}, Jobs: 2}); err != nil {
			t.Fatal(err)
		}
		if look {
			if err := set.Look(t.Context(), Reading{Jobs: 2, Memory: 1 << 20}); err != nil {
				t.Fatal(err)
			}
		}
		if err := set.Scan(t.Context(), Reading{Jobs: 2, Memory: 1 << 20},
			func() Visitor { return nobody{} }); err != nil {
			t.Fatal(err)
		}
		var kinds []string
		for _, p := range set.PassedOver {
			kinds = append(kinds, p.Binary)
		}
		want(t, "kinds", kinds, []string{"a database", "a picture", "a Python pickle", "a picture", "an archive (xz)"})
	}
}

// Of a file that another program has packed, a byte that is another one is an error, and never
// another value.
func TestPackedByOtherPrograms(t *testing.T) {
	for _, ending := range []string{"zst", "gz", "bz2"} {
		name := "packed.csv." + ending
		records := mustRead(t, "testdata/"+name, Manner{}).records
		want(t, name+": records", records, []string{"2:|2031-03-01|day pass|5.00", "3:|2031-03-02|season pass|12.25",
			"4:|2031-03-03||0.50"})
		packed, err := os.ReadFile("testdata/" + name)
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), name)
		for at := range packed {
			flipped := bytes.Clone(packed)
			flipped[at] ^= 0x04
			if err := os.WriteFile(path, flipped, 0o644); err != nil {
				t.Fatal(err)
			}
			if c, err := read(path, Manner{}); err == nil && decode.Find(flipped) != "" &&
				!slices.Equal(c.records, records) {
				t.Errorf("%s: with byte %d changed the records are %q", name, at, c.records)
			}
		}
	}
}
