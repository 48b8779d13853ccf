package show

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/source"
	"lastblock/core/value/amount"
)

// screen is a terminal of some width, without colours.
func screen(width int) (*Screen, *strings.Builder) {
	out := new(strings.Builder)
	return &Screen{writer: out, Terminal: width > 0, Width: width}, out
}

func TestTable(t *testing.T) {
	for _, c := range []struct {
		rule  string
		width int
		want  string
	}{
		{"in a pipe nothing is shortened", 0, `
source                     rows      debit  text
───────────────────────────────────────────────────────────────────────
brackenfell_2031-01.csv       7   1,234.50  a remark of some length
c.csv                     1,000      -0.05  x
───────────────────────────────────────────────────────────────────────
total                     1,007   1,234.45
`},
		{"texts are shortened first", 56, `
source            rows      debit  text
───────────────────────────────────────────────────────
brackenf…-01.csv     7   1,234.50  a remark …me length
c.csv            1,000      -0.05  x
───────────────────────────────────────────────────────
total            1,007   1,234.45
`},
	} {
		t.Run(c.rule, func(t *testing.T) {
			table := Table{Columns: []Column{{Name: "source", Key: true}, {Name: "rows", Right: true},
				{Name: "debit", Right: true}, {Name: "text"}}}
			table.Add("brackenfell_2031-01.csv", "7", "1,234.50", "a remark of some length")
			table.Add("c.csv", "1,000", "-0.05", "x")
			table.AddStrong("total", "1,007", "1,234.45", "")
			s, out := screen(c.width)
			table.Print(s)
			for line := range strings.Lines(out.String()) {
				if width := textWidth(strings.TrimSuffix(line, "\n")); c.width > 0 && width > c.width {
					t.Errorf("a line is %d wide: %q", width, line)
				}
			}
			if c.width == 0 && squeeze(out.String()) != squeeze(c.want) {
				t.Errorf("table is\n%s\nwant\n%s", out.String(), c.want)
			}
			for _, figure := range []string{"1,234.50", "-0.05", "1,007", "1,234.45"} {
				if !strings.Contains(out.String(), figure) {
					t.Errorf("the figure %s is not whole:\n%s", figure, out.String())
				}
			}
		})
	}
}

// squeeze makes runs of blanks and rules one, to compare what stands where.
func squeeze(s string) string {
	s = strings.Join(strings.FieldsFunc(s, func(r rune) bool { return r == ' ' || r == '─' }), " ")
	return strings.ReplaceAll(strings.TrimSpace(s), " \n", "\n")
}

// Amounts of a column are shown with as many decimals, so that their marks stand below one another; what is no amount
// stays as it is, and so does a column of counts.
func TestAmountsOfAColumnHaveAsManyDecimals(t *testing.T) {
	table := Table{Columns: []Column{{Name: "entity", Key: true}, {Name: "debit", Right: true, Money: true},
		{Name: "rows", Right: true, Money: true}, {Name: "rate", Right: true}}}
	table.Add("Brackenfell", "1,001.5", "12", "1.5")
	table.Add("Corvane", "-2.25", "1,007", "2.25")
	table.Add("Dunmarrow", "3", "4", "3")
	table.Add("Eskerby", "", "", "")
	table.Add("Fallowmere", "12 in 2 files", "", "")
	s, out := screen(0)
	table.Print(s)
	want := `entity               debit   rows  rate
───────────────────────────────────────
Brackenfell       1,001.50     12   1.5
Corvane              -2.25  1,007  2.25
Dunmarrow             3.00      4     3
Eskerby
Fallowmere   12 in 2 files
`
	if out.String() != want {
		t.Errorf("it prints\n%s\nwant\n%s", out, want)
	}
}

func TestAWideTableIsSplitWithItsKeys(t *testing.T) {
	table := Table{Columns: []Column{{Name: "company", Key: true}}}
	cells := []string{"brackenfell"}
	for month := 1; month <= 12; month++ {
		table.Columns = append(table.Columns, Column{Name: fmt.Sprintf("2031-%02d", month), Right: true})
		cells = append(cells, fmt.Sprintf("1,234,5%02d.00", month))
	}
	table.Add(cells...)
	s, out := screen(80)
	table.Print(s)
	if n := strings.Count(out.String(), "brackenfell"); n != 3 { // five figures of 12 and their gaps beside 11
		t.Errorf("the key stands %d times:\n%s", n, out.String())
	}
	for _, figure := range cells[1:] {
		if strings.Count(out.String(), figure) != 1 {
			t.Errorf("%s does not stand once:\n%s", figure, out.String())
		}
	}
	for line := range strings.Lines(out.String()) {
		if textWidth(strings.TrimSuffix(line, "\n")) > 80 {
			t.Errorf("a line is too wide: %q", line)
		}
	}
}

func TestNothingABranchSentMovesTheCursor(t *testing.T) {
	s, out := screen(80)
	table := Table{Columns: []Column{{Name: "text"}}}
	table.Add("\x1b[31mred\x1b[0m\nnext\x7f\u0085")
	table.Print(s)
	Findings(s, []finding.Finding{{Kind: finding.BadValue, Severity: finding.Review, Source: "a\x1b.csv",
		Message: "\x1b[2J"}})
	if strings.ContainsAny(out.String(), "\x1b\x7f\u0085") || !strings.Contains(out.String(), "␛[31mred␛[0m␊next␡·") {
		t.Errorf("printed: %q", out.String())
	}
}

func TestFindingsSayTheSameOnceAndNotTooMuch(t *testing.T) {
	var findings []finding.Finding
	for i := range 3 {
		findings = append(findings, finding.Finding{Kind: finding.ColumnsDiffer, Severity: finding.Note,
			Source: fmt.Sprintf("e%d.csv", i), Message: "another order"})
	}
	for i := range 20 {
		findings = append(findings, finding.Finding{Kind: finding.BadValue, Severity: finding.Review, Source: "a.csv",
			Line: i + 2, Column: "debit", Message: fmt.Sprintf("value %d", i)})
	}
	findings = append(findings, finding.Finding{Kind: finding.NoSource, Severity: finding.Stop, Source: "gone", Line: 4,
		Message: "not here"})
	s, out := screen(0)
	Findings(s, findings)
	want := `
findings  1 stop, 20 review, 3 note
stop      no-source        gone
          not here
review    bad-value        a.csv, line 2, column debit
          value 0
review    bad-value        a.csv, line 3, column debit
          value 1
review    bad-value        a.csv, line 4, column debit
          value 2
review    bad-value        a.csv, line 5, column debit
          value 3
review    bad-value        a.csv, line 6, column debit
          value 4
          … 15 more of kind bad-value; --json lists them all
note      columns-differ   e0.csv, and 2 more up to e2.csv
          another order
`
	if out.String() != want {
		t.Errorf("printed:\n%s\nwant:\n%s", out.String(), want)
	}
}

func TestFindingsThatAreNotListedAreCounted(t *testing.T) {
	var findings []finding.Finding
	for i := range 7 {
		findings = append(findings, finding.Finding{Kind: finding.FieldCount, Severity: finding.Review, Source: "a.csv",
			Line: i + 2, Message: fmt.Sprint(i)})
	}
	findings = append(findings, finding.Finding{Kind: finding.FieldCount, Severity: finding.Review, Source: "a.csv",
		Rest: true, Count: 1_000_000})
	s, out := screen(0)
	Findings(s, findings)
	for _, want := range []string{"findings  1,000,007 review\n",
		"… 1,000,002 more of kind field-count; --suspense writes all of them\n"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("printed:\n%s\nwithout %q", out.String(), want)
		}
	}
}

func TestDocumentIsJSONInItsOrder(t *testing.T) {
	doc := NewDocument("tieout")
	doc.Add("sources", []Object{{{"source", `a "quoted" one.csv`},
		{"totals", Amounts([]string{"debit"}, []amount.Amount{amount.New(-5, 2)})},
		{"columns", []Object{{{"column", "x"}}, {{"column", "y"}}}}}})
	doc.Add("none", []Object{})
	doc.Add("text", "caf\xe9 é <&>\n")
	doc.Add("findings", []finding.Finding{{Kind: finding.RowCount, Severity: finding.Stop, Message: "m"}})
	doc.Add("proof", ProofObject(&proof.Proof{Count: proof.Count{Read: 3, Used: 2, Suspense: 1}}))
	var out strings.Builder
	d := StartDocument(&out, doc)
	if err := d.Raw("records", strings.NewReader("[1,2]")); err != nil {
		t.Fatal(err)
	}
	if err := d.List("rows", func(add func(Object)) error {
		add(Object{{"n", 1}})
		add(Object{{"n", 2}})
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if err := d.Close(); err != nil {
		t.Fatal(err)
	}
	var back map[string]any
	if err := json.Unmarshal([]byte(out.String()), &back); err != nil {
		t.Fatalf("%v in\n%s", err, out.String())
	}
	source := back["sources"].([]any)[0].(map[string]any)
	if source["source"] != `a "quoted" one.csv` || source["totals"].(map[string]any)["debit"] != "-0.05" ||
		len(source["columns"].([]any)) != 2 {
		t.Errorf("source is %v", source)
	}
	if back["text"] != "caf\ufffd é <&>\n" || len(back["records"].([]any)) != 2 || len(back["rows"].([]any)) != 2 ||
		back["proof"].(map[string]any)["suspense"] != 1.0 {
		t.Errorf("document is %v", back)
	}
	if front := `{
  "command": "tieout",
  "version": 2,
  "sources": [
    {"source": `; !strings.HasPrefix(out.String(), front) {
		t.Errorf("document is\n%s", out.String())
	}
}

func TestNumbersForPeople(t *testing.T) {
	var got []string
	for _, n := range []int{0, 999, 1000, 1234567, -994, -1000} {
		got = append(got, Number(n))
	}
	for _, n := range []int64{0, 999, 1000, 1_234_567, 5_000_000_000_000} {
		got = append(got, Size(n))
	}
	got = append(got, Count(1, "source"), Count(2000, "source"))
	want := []string{"0", "999", "1,000", "1,234,567", "-994", "-1,000", "0 B", "999 B", "1.0 kB", "1.2 MB", "5.0 TB",
		"1 source", "2,000 sources"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("numbers are %q", got)
	}
}

func TestProgressLine(t *testing.T) {
	if got, want := progressLine(250, 30_000_000, 1000, 120_000_000, 2*time.Second),
		" 25% ━━━╌╌╌╌╌╌╌╌╌  250 of 1,000 files  30.0 MB of 120.0 MB  15.0 MB/s  6s left"; got != want {
		t.Errorf("line is %q, want %q", got, want)
	}
	if got, want := progressLine(0, 5000, 1, 0, time.Second), "read 5.0 kB  5.0 kB/s"; got != want {
		t.Errorf("line of a pipe is %q, want %q", got, want)
	}
}

func TestProgressIsForTerminalsAlone(t *testing.T) {
	s, out := screen(0)
	stop := Progress(s, time.Now().Add(-time.Hour), new(source.Progress), 1, 1)
	time.Sleep(20 * time.Millisecond)
	stop()
	if out.Len() > 0 {
		t.Errorf("printed: %q", out.String())
	}
	terminal, shown := screen(80)
	stop = Progress(terminal, time.Now().Add(-time.Hour), new(source.Progress), 1, 1)
	for range 100 {
		time.Sleep(5 * time.Millisecond)
	}
	stop()
	if !strings.Contains(shown.String(), "of 1 file") || !strings.HasSuffix(shown.String(), "\r\x1b[K") {
		t.Errorf("printed: %q", shown.String())
	}
}

func TestOutputsAppearWholeOrNotAtAll(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "all.csv")
	var outputs Outputs
	output, err := outputs.Create(path, false)
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(output, "half")
	if _, err := os.Stat(path); err == nil {
		t.Error("the output is there before it is whole")
	}
	outputs.Discard()
	if entries, _ := os.ReadDir(dir); len(entries) != 0 {
		t.Errorf("discarded, and left behind %v", entries)
	}

	output, err = outputs.Create(path, false)
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(output, "whole")
	if err := outputs.Commit(output); err != nil {
		t.Fatal(err)
	}
	outputs.Discard()
	if text, err := os.ReadFile(path); err != nil || string(text) != "whole" {
		t.Errorf("the output holds %q, %v", text, err)
	}

	if err := os.Chmod(path, 0o640); err != nil {
		t.Fatal(err)
	}
	output, err = outputs.Create(path, true)
	if err != nil {
		t.Fatal(err)
	}
	if err := outputs.Commit(output); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(path); err != nil || info.Mode().Perm()&0o077 != 0o040 {
		t.Errorf("written over, its permissions are %v, %v", info.Mode(), err)
	}

	var exists *ExistsError
	if _, err := outputs.Create(path, false); !errors.As(err, &exists) {
		t.Errorf("error is %v", err)
	}
	if _, err := outputs.Create(dir, true); err == nil || !strings.Contains(err.Error(), "is a folder") {
		t.Errorf("error is %v", err)
	}
	spool, err := outputs.Spool()
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(spool, "kept")
	outputs.Discard()
	if _, err := os.Stat(spool.path); err == nil {
		t.Error("the spool is still there")
	}
}

func TestFirstRecords(t *testing.T) {
	var csv strings.Builder
	csv.WriteString("x,source\n")
	for i := range 50 {
		fmt.Fprintf(&csv, "\"%d\n\",a.csv\n", i)
	}
	s, out := screen(40)
	if err := FirstRecords(s, strings.NewReader(csv.String()), 1); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(out.String(), "19␊") || strings.Contains(out.String(), "20␊") ||
		!strings.Contains(out.String(), "… 30 more records; --out writes them all") {
		t.Errorf("printed:\n%s", out.String())
	}
}

func TestAnErrorInWritingIsRemembered(t *testing.T) {
	broken := errors.New("the screen is gone")
	s := &Screen{writer: failing{broken}}
	fmt.Fprintln(s, "one")
	fmt.Fprintln(s, "two")
	if !errors.Is(s.Err(), broken) {
		t.Errorf("error is %v", s.Err())
	}
}

type failing struct{ err error }

func (f failing) Write([]byte) (int, error) { return 0, f.err }

// An output can rest between writes, so that any number can be under way, and is
// placed where it is known to belong at the end, without a note that it is ours.
func TestOutputsCanRest(t *testing.T) {
	dir := t.TempDir()
	outputs := new(Outputs)
	var some []*Output
	for i := range 3 {
		o, err := outputs.Create(filepath.Join(dir, fmt.Sprint("part-", i)), false)
		if err != nil {
			t.Fatal(err)
		}
		some = append(some, o)
	}
	for round := range 2 {
		for _, o := range some {
			if _, err := fmt.Fprintf(o, "round %d\n", round); err != nil {
				t.Fatal(err)
			}
			if err := o.Rest(); err != nil {
				t.Fatal(err)
			}
		}
	}
	for i, o := range some[:2] {
		o.MoveTo(filepath.Join(dir, fmt.Sprintf("part-%03d.csv", i)))
		outputs.Ready(o)
	}
	if err := outputs.Place(); err != nil {
		t.Fatal(err)
	}
	outputs.Discard()
	if got, want := held(t, dir), "part-000.csv=round 0\nround 1\n part-001.csv=round 0\nround 1\n"; got != want {
		t.Errorf("the folder holds %q", got)
	}
	if text, err := os.ReadFile(filepath.Join(dir, "part-001.csv")); err != nil ||
		string(text) != "round 0\nround 1\n" {
		t.Errorf("a part holds %q, %v", text, err)
	}
}

// On a terminal no text does anything to the screen but stand on it, in whatever pieces it
// comes; into a pipe it goes as it is.
func TestTheScreenIsTame(t *testing.T) {
	const text = "a\x1b]0;title\ab\x1b[2Jc\x1b[31md\x1b[0m\u202ee\u2066f\x9bg\rh\n\ti ü 木"
	for pieces := range 5 {
		var out bytes.Buffer
		s := &Screen{writer: &out, Terminal: true}
		for rest := []byte(text); len(rest) > 0; {
			n := min(len(rest), 1+pieces)
			if pieces == 0 {
				n = len(rest)
			}
			if _, err := s.Write(rest[:n]); err != nil {
				t.Fatal(err)
			}
			rest = rest[n:]
		}
		got := out.String()
		for _, bad := range []string{"\x1b]", "\x1b[2", "\u202e", "\u2066", "\r", "\a"} {
			if strings.Contains(got, bad) {
				t.Errorf("in pieces of %d: %q goes through in %q", pieces, bad, got)
			}
		}
		if !strings.HasSuffix(got, "h\n\ti ü 木") {
			t.Errorf("in pieces of %d: %q", pieces, got)
		}
		if pieces == 0 && !strings.Contains(got, "\x1b[31md\x1b[0m") {
			t.Errorf("colours are lost in %q", got)
		}
	}
	var out bytes.Buffer
	if _, err := (&Screen{writer: &out}).Write([]byte(text)); err != nil || out.String() != text {
		t.Errorf("into a pipe goes %q, %v", out.String(), err)
	}
}
