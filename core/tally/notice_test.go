package tally_test

import (
	"context"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/tally"
	"lastblock/core/value/expression"
	"lastblock/internal/sourcetest"
)

// countWith tallies files that are written in a manner.
func countWith(t *testing.T, manner source.Manner, mode source.ColumnMode, amounts []string,
	files map[string]string) *tally.Tally {
	t.Helper()
	dir := t.TempDir()
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	set, err := source.Find(context.Background(),
		source.Search{Paths: []string{dir}, Manner: &manner, Mode: mode, Jobs: 2})
	if err != nil {
		t.Fatal(err)
	}
	reading := sourcetest.Reading
	c := tally.New(set, tally.Options{Amounts: amounts})
	if err := set.Scan(context.Background(), reading, func() source.Visitor { return c.Visitor() }); err != nil {
		t.Fatal(err)
	}
	if err := c.Finish(); err != nil {
		t.Fatal(err)
	}
	return c
}

// message returns what is said of a kind, and fails unless that is one finding.
func message(t *testing.T, c *tally.Tally, kind finding.Kind) string {
	t.Helper()
	var messages []string
	for _, f := range c.Findings.All() {
		if f.Kind == kind {
			messages = append(messages, f.Message)
		}
	}
	if len(messages) != 1 {
		t.Errorf("%d findings of kind %s: %q", len(messages), kind, messages)
		return ""
	}
	return messages[0]
}

func TestTotalLines(t *testing.T) {
	for _, c := range []struct {
		name, text string
		total      []string
		says       string // of the total line
		doubt      string // in the finding that there are two readings, "" for none
	}{
		{"agrees", "doc,debit,credit\nA,1.50,2\nB,2.25,3\nTotal,3.75,5\n", []string{"debit", "credit"},
			"it agrees with the records in debit, credit", ""},
		{"off in a column that is not counted", "doc,debit,credit\nA,1.50,2\nB,2.25,3\nTotal,3.75,9\n",
			[]string{"debit"}, "", "off by 4 in credit (it says 9, the records above it come to 5)"},
		{"off", "doc,debit\nA,1.50\nB,2.25\nTotal,3.80\n", []string{"debit"}, "",
			"off by 0.05 in debit (it says 3.80, the records above it come to 3.75)"},
		{"nothing is counted", "doc,debit\nA,1.50\nGrand total,1.50\n", nil, "it agrees with the records in debit", ""},
		{"with a decimal comma", "doc;debit\nA;1.234,50\nB;0,50\nSumme;1.235,00\n", []string{"debit"}, "it agrees", ""},
		{"records in suspense count as far as they are amounts", "doc,debit,credit\nA,1.50,x\nB,2.25,3\nTotal,3.75,3\n",
			[]string{"debit", "credit"}, "it agrees with the records in debit, credit", ""},
		{"called by position", "doc,debit\nA,1.50\nTotal,1.50\n", []string{"#2"}, "it agrees with the records in debit",
			""},
	} {
		tallied := countWith(t, source.Manner{}, "", c.total, map[string]string{"a.csv": c.text})
		if c.says != "" {
			if got := message(t, tallied, finding.TotalLine); !strings.Contains(got, c.says) {
				t.Errorf("%s: total line says %q", c.name, got)
			}
		}
		doubt := ""
		for _, f := range tallied.Findings.All() {
			if f.Kind == finding.TotalOrRecord {
				doubt = f.Message
			}
		}
		if (doubt == "") != (c.doubt == "") || !strings.Contains(doubt, c.doubt) {
			t.Errorf("%s: the doubt is %q, want %q", c.name, doubt, c.doubt)
		}
		rows := strings.Count(c.text, "\n") - 2
		if c.doubt != "" {
			rows++ // it may be a record
		}
		if tallied.Sources[0].Read != rows || tallied.Proof.Read != rows {
			t.Errorf("%s: %d records are read", c.name, tallied.Sources[0].Read)
		}
	}
}

// What a condition leaves out is dropped: counted, and its amounts with it.
func TestDroppedRecordsAreProven(t *testing.T) {
	x, err := expression.Parse(`unit != "B" && debit > 0`)
	if err != nil {
		t.Fatal(err)
	}
	c := countWith(t, source.Manner{Shape: &shape.Request{Where: x}}, "", []string{"debit", "credit"},
		map[string]string{
			"a.csv": "unit,debit,credit\nA,1.50,1\nB,2.50,2\nA,x,4\nA,0,8\nA,3,none\nB,n/a,16\n",
		})
	s := c.Sources[0]
	if s.Read != 6 || s.Used != 1 || s.Suspense != 2 || s.Dropped != 3 || s.Read != s.Used+s.Suspense+s.Dropped {
		t.Errorf("read %d, used %d, suspense %d, dropped %d", s.Read, s.Used, s.Suspense, s.Dropped)
	}
	credit := c.Proof.Totals[1]
	if got := []string{s.Totals[1].Amount().String(), credit.Dropped.String(),
		credit.Suspense.String()}; !reflect.DeepEqual(got, []string{"1", "26", "0"}) {
		t.Errorf("credit used, dropped and in suspense is %q", got) // 2 + 8 + 16; the 4 is refused with its record
	}
}

func TestWhatIsToldOfALayout(t *testing.T) {
	c := countWith(t, source.Manner{}, "", []string{"debit"}, map[string]string{
		"a.csv": "Journal\nprinted today\n,doc,debit\n1,A,1.234\n2,B,5\n",
		"b.csv": "doc,debit,text\nA,2.50,caf\xe9\n",
		"c.csv": "doc,debit,,text\n,EUR,CHF,\nA,1.50,2.50,x\nB,1.50,2.50,x\n",
	})
	for kind, want := range map[finding.Kind]string{
		finding.LinesAbove:      "2 lines above the header left out",
		finding.IndexColumn:     "column 1 has no name and only numbers the records; left out",
		finding.DecimalUnclear:  `"1.234" could be read with either decimal mark`,
		finding.HeaderContinues: "if it belongs to the header, say ⟨header-lines⟩ 2",
		finding.EncodingGuessed: "was read as windows-1252",
	} {
		if got := message(t, c, kind); !strings.Contains(got, want) {
			t.Errorf("%s says %q, want %q", kind, got, want)
		}
	}
}

func TestDatesThatAreUnclear(t *testing.T) {
	as := &shape.Request{As: []shape.As{{Column: "posted", Kind: record.Date, Order: 3}}}
	c := countWith(t, source.Manner{Shape: as}, "", nil, map[string]string{"a.csv": "posted,n\n03/04/2031,1\n"})
	if got := message(t, c, finding.DateUnclear); !strings.Contains(got,
		"say it with ⟨as⟩ posted=date:dmy or date:mdy") {
		t.Errorf("it says %q", got)
	}
}

func TestDecimalsThatDiffer(t *testing.T) {
	files := map[string]string{"a.csv": "debit;n\n1,50;1\n", "b.csv": "debit,n\n2.50,1\n", "c.csv": "debit,n\n3.50,1\n",
		"d.csv": "debit;n\n"}
	c := countWith(t, source.Manner{}, "", []string{"debit"}, files)
	c.TellDecimals()
	if got := message(t, c, finding.DecimalsDiffer); !strings.Contains(got, "writes amounts with ',' as decimal mark") {
		t.Errorf("it says %q", got)
	}
	plain := source.Manner{Shape: &shape.Request{As: []shape.As{{Column: "debit", Kind: record.Amount}}}}
	c = countWith(t, plain, "", []string{"debit"}, files)
	c.TellDecimals()
	for _, f := range c.Findings.All() {
		if f.Kind == finding.DecimalsDiffer {
			t.Errorf("amounts that are written alike: %s", f.Message)
		}
	}
}

func TestStrictColumnsStop(t *testing.T) {
	files := map[string]string{"a.csv": "x,y\n1,2\n", "b.csv": "x,y\n1,2\n", "c.csv": "x,z\n1,2\n"}
	for mode, want := range map[source.ColumnMode]string{source.AllColumns: "",
		source.StrictColumns: "stop lacks y; has beside the usual columns z"} {
		c := countWith(t, source.Manner{}, mode, nil, files)
		got := ""
		for _, f := range c.Findings.All() {
			if f.Kind == finding.ColumnsDiffer {
				got = string(f.Severity) + " " + f.Message
			}
		}
		if got != want {
			t.Errorf("%s: %q, want %q", mode, got, want)
		}
	}
	c := countWith(t, source.Manner{}, source.StrictColumns, nil, files)
	c.TellDiffering() // once more tells nothing more
	if got := message(t, c, finding.ColumnsDiffer); got == "" {
		t.Error("it is told twice")
	}
}
