package draft

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"lastblock/core/finding/decision"
	"lastblock/core/month/plan"
	"lastblock/core/source"
)

// draft makes a draft of files in a temporary folder.
func draft(t *testing.T, files map[string]string) *Draft {
	t.Helper()
	dir := t.TempDir()
	for name, content := range files {
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	d, err := Run(context.Background(), dir, nil, source.Reading{Jobs: 2, Memory: 1 << 26})
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func TestDraft(t *testing.T) {
	d := draft(t, map[string]string{
		"in/corvane_2031-01.csv": "doc,posted,debit\nC1,2031-01-03,1.50\nC2,2031-01-31,2.25\n",
		"in/corvane_2031-02.csv": "doc,posted,debit\nC3,2031-02-03,1.50\n",
		"in/eskerby_2031-01.csv": "doc;posted;Debit EUR\nE1;03.01.2031;1,50\n",
		"in/dunmarrow_2031-01.csv": "doc,posted,amount,\n,,debit,credit\nD1,2031-01-04,1.5,2.5\n" +
			"D2,2031-01-05,3.5,4.5\n",
		"control.csv":               "entity,period,rows,debit\ncorvane,2031-01,2,3.75\n",
		"who.csv":                   "entity,from,until\ncorvane,,\neskerby,2031-01,\n",
		"in/companies.csv":          "code,name,town\n1,Corvane,Corvane\n",
		"in/fallowmere_2031-01.csv": "doc,posted,debit\nF1,2031-01-03,1.00\nF2,caf\xe9,2.00\n",
	})
	if d.Pattern != "{entity}_{period}" || d.Declared != "control.csv" || strings.Join(d.Folders, " ") != "in" ||
		strings.Join(d.Skip, " ") != "companies.csv" || strings.Join(d.Totals, " ") != "debit" {
		t.Errorf("pattern %q, declared %q, folders %q, skip %q, totals %q", d.Pattern, d.Declared, d.Folders, d.Skip,
			d.Totals)
	}
	text := d.Text("month", strings.Clone)
	for _, want := range []string{
		"paths = [\"month/in\"]\nname = \"{entity}_{period}\"",
		`skip = ["companies.csv"]`,
		`as = ["posted=date", "debit=amount"]`,
		"match = \"eskerby_*\"\n# columns: doc (text), posted (date), Debit EUR (amount)\nas = [\"posted=date\", " +
			"\"Debit EUR=amount\"]",
		`# rename = ["Debit EUR=debit"]`,
		"match = \"dunmarrow_*\"\nheader-lines = 2",
		"match = \"fallowmere_*\"\n# the text is no UTF-8; this was taken for its encoding:\nencoding = " +
			"\"windows-1252\"",
		"[tieout]\ntotal = [\"debit\"]\ndeclared = \"month/control.csv\"\nroster = \"month/who.csv\"",
		"[rollup]\nby = \"entity\"\nsum = [\"debit\"]\nacross = \"period\"",
	} {
		if !strings.Contains(text, want) {
			t.Errorf("the plan does not say\n%s\nbut\n%s", want, text)
		}
	}
	if _, err := plan.Parse("drafted", []byte(text)); err != nil {
		t.Error(err)
	}
}

func TestPatternOfNames(t *testing.T) {
	for names, want := range map[string]string{
		"a_2031-01.csv b_2031-02.csv":                     "{entity}_{period}",
		"a_2031-01_v2.csv b_2031-02_v1.csv":               "{entity}_{period}*",
		"2031Q1 north.csv 2031Q1 south.csv":               "{period} {entity}",
		"north-2031-W05.csv south-2031-W06.csv x.y":       "{entity}-{period}",
		"north.csv south.csv":                             "{entity}",
		"2031-01.csv 2031-02.csv":                         "{period}",
		"north.csv":                                       "",
		"Sales North 2031-01.csv Sales South 2031-01.csv": "Sales {entity} {period}",
		"Sales North 2031-01.csv Sales North 2031-02.csv": "{entity} {period}",
		"journal_a.csv journal_b.csv":                     "journal_{entity}",
	} {
		var files []*file
		for _, name := range strings.Split(strings.ReplaceAll(names, ".csv ", ".csv|"), "|") {
			files = append(files, &file{base: name})
		}
		if got := findPattern(files); got != want {
			t.Errorf("%s: pattern is %q, want %q", names, got, want)
		}
	}
}

func TestKindsOnWhichNotAllAgree(t *testing.T) {
	d := draft(t, map[string]string{
		"a_2031-01.csv": "doc,debit,VAT rate,due\nA,1.50,0.19,\n",
		"b_2031-01.csv": "doc,debit,VAT rate,due\nB,2.5,19 %,2031-01-05\n",
		"c_2031-01.csv": "doc,debit,VAT rate,due\nC,7,0.07,2031-01-06\n",
	})
	var kinds []string
	for _, c := range d.Shapes[0].Columns {
		kinds = append(kinds, c.Name+" "+string(c.Kind))
	}
	if got := strings.Join(kinds, ", "); len(d.Shapes) != 1 ||
		got != "doc text, debit amount, VAT rate text, due date" {
		t.Errorf("%d shapes, columns are %s", len(d.Shapes), got)
	}
	d = draft(t, map[string]string{"a.csv": "doc,debit,Unit price\nA,1.50,2.50\n"})
	if got := strings.Join(d.Totals, " "); got != "debit" {
		t.Errorf("totals are %s", got)
	}
}

func TestADraftHoldsWhateverNamesThereAre(t *testing.T) {
	d := draft(t, map[string]string{
		"a \"b\".csv": "x\\y,\"say \"\"1\"\"\",n\na,1.50,1\n",
		"c#d.csv":     "x\\y,\"say \"\"1\"\"\",n\na,2.50,1\n",
	})
	p, err := plan.Parse("drafted", []byte(d.Text(".", strings.Clone)))
	if err != nil {
		t.Fatal(err)
	}
	if got := p.Command("tieout").Find("total").Value.([]string); len(got) != 1 || got[0] != `say "1"` {
		t.Errorf("total is %q", got)
	}
	if _, err := Run(context.Background(), t.TempDir(), nil, source.Reading{Jobs: 1, Memory: 1 << 20}); err == nil {
		t.Error("an empty folder has a plan")
	}
}

// A folder with a plan of its own is another month end, and no part of this one.
func TestAnotherMonthEndIsPassedOver(t *testing.T) {
	d := draft(t, map[string]string{
		"in/corvane_2031-01.csv":       "doc,posted,debit\nC1,2031-01-03,1.50\n",
		"in/eskerby_2031-01.csv":       "doc,posted,debit\nE1,2031-01-03,2.50\n",
		"april/lastblock.toml":         "version = 1\n",
		"april/in/corvane_2031-04.csv": "doc,posted,debit,season\nC9,2031-04-03,1.50,winter\n",
		"april/in/cover.pdf":           "no data\n",
		"april/notes/eskerby_04.csv":   "a;b\n1;2\n",
	})
	if d.Sources != 2 || strings.Join(d.Folders, " ") != "in" {
		t.Errorf("%d sources in %q", d.Sources, d.Folders)
	}
	var passed []string
	for _, p := range d.Passed {
		passed = append(passed, p.Source+": "+p.Reason)
	}
	if got := strings.Join(passed, "; "); got != "april: a month end with a plan of its own" {
		t.Errorf("passed over is %s", got)
	}
}

// What Lastblock wrote is no source, however many rows a header has.
func TestDecisionsDoNotDisturbADraft(t *testing.T) {
	d := draft(t, map[string]string{
		"decisions.csv": strings.Join(decision.Columns, ",") +
			"\n2031-04-02T10:00:00Z,ben,accept,fine,abcdefgh,row-count,a.csv,,1,0,,0123456789abcdef\n",
		"in/dunmarrow_2031-01.csv": "doc,posted,amount,\n,,debit,credit\nD1,2031-01-04,1.5,2.5\n" +
			"D2,2031-01-05,3.5,4.5\n",
		"in/dunmarrow_2031-02.csv": "doc,posted,amount,\n,,debit,credit\nD3,2031-02-04,1.5,2.5\n" +
			"D4,2031-02-05,3.5,4.5\n",
	})
	if len(d.Shapes) != 1 || d.Sources != 2 || !strings.Contains(d.Text(".", strings.Clone), "amount debit") {
		t.Errorf("%d sources in %d shapes: %s", d.Sources, len(d.Shapes), d.Text(".", strings.Clone))
	}
}
