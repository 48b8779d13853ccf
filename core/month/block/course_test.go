package block

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
)

// given is what a source gave to accounts: source, account, amount.
type given struct{ source, account, amount string }

// sealFigures adds a block with a summary by account, to which sources gave amounts. Of those in whole it is
// not known to which account.
func sealFigures(t *testing.T, c *Chain, period string, all []given, whole ...string) {
	t.Helper()
	b := blockOf(period)
	b.Sources = nil
	b.Results = []Result{
		{File: File{"results/" + period + "/all.csv", "00"}, Command: "collate", Totals: []Total{{"debit", "0"}}},
		{File: File{"results/" + period + "/s.csv", "00"}, Command: "rollup", Title: "sums",
			By:     []string{"account", "unit"},
			Totals: []Total{{"debit", "0"}, {"tax", "0"}}},
	}
	var out bytes.Buffer
	packed, err := zstd.NewWriter(&out)
	if err != nil {
		t.Fatal(err)
	}
	f, err := b.WriteFigures(packed)
	if err != nil {
		t.Fatal(err)
	}
	write := func(figure Figure) {
		t.Helper()
		if err := f.Write(&figure); err != nil {
			t.Fatal(err)
		}
	}
	write(Figure{Kind: OfGiven, Result: 1, Source: "x", Rows: 1, Totals: []string{"999"}})
	for _, g := range all {
		write(Figure{Kind: OfGiven, Result: 2, Source: g.source, Rows: 1, Totals: []string{g.amount, "1"}})
		write(Figure{Kind: OfGroup, Result: 2, Group: []string{g.account, "U1"}, Rows: 2,
			Totals: []string{g.amount, "1"}})
		if !slices.Contains(whole, g.source) {
			write(Figure{Kind: OfWithin, Result: 2, Source: g.source, Group: []string{g.account, "U1"}, Rows: 2,
				Totals: []string{g.amount, "1"}})
		}
	}
	if err := f.Flush(); err != nil {
		t.Fatal(err)
	}
	if err := packed.Close(); err != nil {
		t.Fatal(err)
	}
	name := fmt.Sprintf("%04d-%s.csv.zst", len(c.Entries)+1, period)
	if err := os.WriteFile(filepath.Join(c.Folder, name), out.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	b.Figures = File{name, SealOf(out.Bytes())}
	if _, err := c.Append(b); err != nil {
		t.Fatal(err)
	}
}

// courseOf is the course of a figure: block, rows, amount, change, and the sources that made it.
func courseOf(points []Point) (lines []string) {
	for i := range points {
		p := &points[i]
		line := fmt.Sprintf("%d %d %s %s %s %d", p.Entry.Number, p.Rows, p.Column, p.Amount, p.Change, p.Unknown)
		for k := range p.Made {
			line += fmt.Sprintf(" %s %s>%s", p.Made[k].Source, p.Made[k].Was, p.Made[k].Is)
		}
		lines = append(lines, line)
	}
	return lines
}

func TestCourseOfAFigure(t *testing.T) {
	_, c := closed(t, "2030-12") // without a summary by account
	sealFigures(t, c, "2031-01", []given{{"a", "4000", "5.50"}, {"b", "4000", "2"}, {"b", "4100", "7"}})
	sealFigures(t, c, "2031-02", []given{{"a", "4000", "6.00"}, {"b", "4100", "7"}, {"c", "4000", "-9"}}, "b")
	c, err := Read(c.Folder, "lastblock.toml")
	if err != nil {
		t.Fatal(err)
	}
	for _, of := range []struct {
		wish Wish
		want []string
	}{
		{Wish{Words: []Word{{"account", "4000"}}},
			[]string{"2 4 debit 7.50 7.50 0 a 0>5.50 b 0>2", "3 4 debit -3.00 -10.50 1 c 0>-9 a 5.50>6.00"}},
		{Wish{Words: []Word{{"account", "4100"}, {"unit", "U1"}}, Result: "sums", Sum: "tax"},
			[]string{"2 2 tax 1 1 0 b 0>1", "3 2 tax 1 0 1"}},
		{Wish{Words: []Word{{"unit", "U1"}}, Result: "rollup"},
			[]string{"2 6 debit 14.50 14.50 0 b 0>9 a 0>5.50", "3 6 debit 4.00 -10.50 1 c 0>-9 a 5.50>6.00"}},
	} {
		points, err := c.Course(of.wish)
		if got := courseOf(points); err != nil || !reflect.DeepEqual(got, of.want) {
			t.Errorf("%+v: %v: it went %q, want %q", of.wish, err, got, of.want)
		}
	}
	for _, of := range []struct {
		wish Wish
		text string
	}{
		{Wish{Words: []Word{{"account", "400"}}}, "no group has account: unknown value 400; did you mean 4000?"},
		{Wish{Words: []Word{{"entity", "a"}}}, "there are\nsums by account and unit, sum debit and tax"},
		{Wish{Words: []Word{{"account", "4000"}}, Sum: "credit"}, "no block has a result with such groups"},
		{Wish{Words: []Word{{"account", "4000"}}, Result: "other"}, "no block has a result with such groups"},
	} {
		if _, err := c.Course(of.wish); err == nil || !strings.Contains(err.Error(), of.text) {
			t.Errorf("%+v: the error is %v", of.wish, err)
		}
	}
	// figures that were changed are not believed
	path := filepath.Join(c.Folder, c.Entries[2].Figures.Name)
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	data[len(data)-1] ^= 1
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Course(Wish{Words: []Word{{"account", "4000"}}}); err == nil ||
		!strings.Contains(err.Error(), "block 3 in "+c.Folder+": its figures in 0003-2031-02.csv.zst were changed") {
		t.Errorf("of changed figures: %v", err)
	}
}

func TestWords(t *testing.T) {
	got, err := ParseWords([]string{"account=04100", "text=a=b", "unit="})
	if want := []Word{{"account", "04100"}, {"text", "a=b"}, {"unit", ""}}; err != nil ||
		!reflect.DeepEqual(got, want) {
		t.Errorf("%v: words are %v", err, got)
	}
	for text, want := range map[string]string{"account": "write COLUMN=VALUE", "=5": "write COLUMN=VALUE",
		"account=5 account=6": "account is said twice"} {
		if _, err := ParseWords(strings.Fields(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: the error is %v", text, err)
		}
	}
}

// Of more sources than a block lists itself, the figures say the same.
func TestManySources(t *testing.T) {
	folder, c := closed(t, "2030-12")
	for _, count := range []int{mostSources, mostSources + 1} {
		b := blockOf("2031-01")
		b.Totals, b.Results = []Total{{"debit", "0"}, {"credit", "0"}}, []Result{}
		b.Sources = nil
		for i := range count {
			name := fmt.Sprintf("s%05d", i)
			b.Sources = append(b.Sources, Source{File: File{"in/" + name, SealOf([]byte(name))}, Source: name,
				Size:   int64(i),
				Entity: "e,\"" + name, Period: "2031-01", Layout: 1, Fingerprint: "00ff", Query: "select\n1",
				Rows:   i % 7,
				Totals: []Total{{"debit", fmt.Sprintf("%d.25", i)}, {"credit", "0"}}})
		}
		var out bytes.Buffer
		packed, err := zstd.NewWriter(&out)
		if err != nil {
			t.Fatal(err)
		}
		f, err := b.WriteFigures(packed)
		if err != nil {
			t.Fatal(err)
		}
		if err := f.Flush(); err != nil {
			t.Fatal(err)
		}
		if err := packed.Close(); err != nil {
			t.Fatal(err)
		}
		b.Figures = File{fmt.Sprintf("%d.csv.zst", count), SealOf(out.Bytes())}
		if err := os.WriteFile(filepath.Join(c.Folder, b.Figures.Name), out.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := c.Append(b); err != nil {
			t.Fatal(err)
		}
		read, err := Read(folder, "lastblock.toml")
		if err != nil {
			t.Fatal(err)
		}
		got, err := read.Sources(read.Last())
		if err != nil || !reflect.DeepEqual(got, b.Sources) || read.Last().SourceCount != count {
			t.Errorf("%v: of %d sources %d are read, the last as %+v", err, count, len(got), got[len(got)-1])
		}
		info, err := os.Stat(filepath.Join(folder, read.Last().File))
		if err != nil || (info.Size() > 1<<20) != (count <= mostSources) {
			t.Errorf("%v: the block of %d sources has %d bytes", err, count, info.Size())
		}
	}
}
