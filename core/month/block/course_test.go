package block

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"lastblock/core/value/amount"

	"github.com/klauspost/compress/zstd"
)

// given is what a source gave to accounts: source, account, amount.
type given struct{ source, account, amount string }

// sealFigures adds a block with a summary by account, to which sources gave amounts. Of those in whole it is
// not known to which account. What an earlier block says is left to it.
func sealFigures(t *testing.T, c *Chain, period string, all []given, whole ...string) *Entry {
	t.Helper()
	b := blockOf(period)
	b.Sources = nil
	b.Results = []Result{
		{File: File{"results/" + period + "/all.csv", "00"}, Command: "collate", Totals: []Total{{"debit", "0"}}},
		{File: File{"results/" + period + "/s.csv", "00"}, Command: "rollup", Title: "sums",
			By:     []string{"account", "unit"},
			Totals: []Total{{"debit", "0"}, {"tax", "0"}}},
	}
	names := []string{"x"}
	for _, g := range all {
		if !slices.Contains(names, g.source) {
			names = append(names, g.source)
		}
	}
	for _, name := range names {
		b.Sources = append(b.Sources, Source{File: File{"in/" + name, SealOf([]byte(name))}, Source: name})
	}
	base, err := c.Base()
	if err != nil {
		t.Fatal(err)
	}
	b.Sources = base.Divide(&b, len(c.Entries)+1, nil)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	b.Figures = packed(t, c, fmt.Sprintf("%04d-%s.csv.zst", len(c.Entries)+1, period), func(w io.Writer) {
		f, err := b.WriteFigures(w, base)
		must(err)
		must(f.Give(&Figure{Kind: OfGiven, Result: 1, Source: "x", Rows: 1, Totals: []string{"999"}}))
		for _, name := range names[1:] {
			of := Figure{Kind: OfGiven, Result: 2, Source: name, Rows: 1, Totals: []string{"0", "1"}}
			if slices.Contains(whole, name) {
				of.Place = WholePlace
			}
			must(f.Give(&of))
		}
		for _, g := range all {
			value, err := amount.Parse([]byte(g.amount), '.')
			must(err)
			if !slices.Contains(whole, g.source) {
				f.Take(2, g.source, &Cell{Group: [][]byte{[]byte(g.account), []byte("U1")}, Rows: 2,
					Totals: []amount.Amount{value, amount.New(1, 0)}})
			}
		}
		must(f.Settle())
		for _, g := range all {
			of := Figure{Result: 2, Group: []string{g.account, "U1"}, Rows: 2, Totals: []string{g.amount, "1"}}
			if len(whole) > 0 {
				of.Kind = OfGroup
				must(f.Write(&of))
			}
			if of.Kind, of.Source = OfWithin, g.source; !slices.Contains(whole, g.source) && f.IsOwn(2, g.source) {
				must(f.Write(&of))
			}
		}
		must(f.Flush())
	})
	b.Earlier, err = base.Earlier()
	must(err)
	e, err := c.Append(b)
	must(err)
	return e
}

// packed writes a packed file beside the blocks.
func packed(t *testing.T, c *Chain, name string, write func(w io.Writer)) File {
	t.Helper()
	var out bytes.Buffer
	w, err := zstd.NewWriter(&out)
	if err != nil {
		t.Fatal(err)
	}
	write(w)
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(c.Folder, name), out.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	return File{name, SealOf(out.Bytes())}
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
	counts := []int{mostSources, 2*mostSources + 1}
	for _, count := range counts {
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
		b.Layouts = [][]string{{"debit", "credit"}}
		all := slices.Clone(b.Sources)
		base, err := c.Base()
		if err != nil {
			t.Fatal(err)
		}
		b.Sources = base.Divide(&b, len(c.Entries)+1, nil)
		b.Figures = packed(t, c, fmt.Sprintf("%d.csv.zst", count), func(w io.Writer) {
			f, err := b.WriteFigures(w, base)
			if err != nil || f.Settle() != nil || f.Flush() != nil {
				t.Fatal(err)
			}
		})
		if b.Earlier, err = base.Earlier(); err != nil {
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
		if err != nil || !reflect.DeepEqual(got, all) || read.Last().SourceCount != count {
			t.Errorf("%v: of %d sources %d are read, the last as %+v", err, count, len(got), got[len(got)-1])
		}
		info, err := os.Stat(filepath.Join(folder, read.Last().File))
		if err != nil || (info.Size() > 1<<20) != (count == counts[0]) { // the second one has too many itself
			t.Errorf("%v: the block of %d sources has %d bytes", err, count, info.Size())
		}
		if count == counts[0] {
			continue
		}
		// Where the file is gone that lists them, all else is held against the chain.
		if err := os.Remove(filepath.Join(folder, read.Last().Figures.Name)); err != nil {
			t.Fatal(err)
		}
		gone, err := Read(folder, "lastblock.toml")
		if err != nil {
			t.Fatal(err)
		}
		files, err := gone.Verify(t.Context(), Wanted{Root: filepath.Dir(folder), Sources: true, Jobs: 2})
		if err != nil || len(files) < mostSources || !slices.ContainsFunc(files, func(f Sealed) bool {
			return f.Role == OfFigures && f.State == Gone
		}) {
			t.Errorf("%v: of %d files", err, len(files))
		}
	}
}
