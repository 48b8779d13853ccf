package show

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/value/amount"

	"github.com/xuri/excelize/v2"
)

// some are findings of all sorts.
func some() []finding.Finding {
	var l finding.List
	l.Add(finding.Finding{Kind: finding.ControlTotal, Source: "a.csv", Column: "debit", Expected: "4", Found: "1.00",
		Difference: "-3.00", Message: "declared 4, found 1.00"})
	l.Add(finding.Finding{Kind: finding.RuleBroken, Source: "b.xlsx", Sheet: "Journal", Line: 7, Key: "named; \"so\"",
		Amount: "12.50", Message: "named: does not hold\nat all", Order: 1, Record: 3})
	l.Add(finding.Finding{Kind: finding.BlankAmount, Source: "c.csv", Count: 2, Message: "2 records without an amount",
		Order: 2})
	all := l.All()
	all[0].Accepted = "known, says Anna"
	all[1].Lapsed = "accepted by ben, and changed since"
	return all
}

// withPlaces are some findings and one about doubles.
func withPlaces() []finding.Finding {
	var l finding.List
	l.Add(finding.Finding{Kind: finding.SameRecord, Source: "d.csv", Line: 3, Count: 1, Amount: "7.00",
		Message: "stands twice", Order: 3, Places: []finding.Place{
			{Letter: "A", Source: "d.csv", Line: 3, Print: "00ff", Values: map[string]string{"text": "a \"quoted\" " +
				"<b>"}},
			{Letter: "B", Source: "e.xlsx/S", Sheet: "S", Line: 9, Print: "00fe",
				Values: map[string]string{"text": ""}},
		}})
	return append(some(), l.All()...)
}

func each(findings []finding.Finding) EachFinding {
	return func(visit func(*finding.Finding) error) error {
		for i := range findings {
			if err := visit(&findings[i]); err != nil {
				return err
			}
		}
		return nil
	}
}

// What is written in a format is read again as it was.
func TestFindingsAreReadAsTheyWereWritten(t *testing.T) {
	want := withPlaces()
	for i := range want {
		want[i].Order, want[i].Record = 0, 0 // which only a run knows
	}
	for _, format := range []Format{CSV, TSV, JSON, JSONL} {
		var out bytes.Buffer
		if err := WriteFindings(&out, format, "", false, each(withPlaces())); err != nil {
			t.Fatal(err)
		}
		got, err := ReadFindings(&out, format)
		if err != nil || fmt.Sprintf("%+v", got) != fmt.Sprintf("%+v", want) {
			t.Errorf("%s: read %+v, %v\nwant %+v", format, got, err, want)
		}
	}
	for _, format := range []Format{Workbook, Parquet} {
		if _, err := ReadFindings(strings.NewReader(""), format); err == nil {
			t.Errorf("findings are read from %s", format)
		}
	}
	if _, err := ReadFindings(strings.NewReader("a,b\n1,2\n"), CSV); err == nil {
		t.Error("any CSV is taken for findings")
	}
}

func TestFindingsInAWorkbook(t *testing.T) {
	var out bytes.Buffer
	if err := WriteFindings(&out, Workbook, "", false, each(some())); err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := book.GetRows(book.GetSheetName(0))
	if err != nil || len(rows) != 4 || strings.Join(rows[0], ",") != strings.Join(findingColumns, ",") ||
		rows[2][5] != "7" {
		t.Errorf("the sheet is %q, %v", rows, err)
	}
}

// Nothing to write is a file all the same.
func TestNoFindings(t *testing.T) {
	for format, want := range map[Format]string{
		CSV: strings.Join(findingColumns, ",") + "\n", JSONL: "",
		JSON: "{\n  \"command\": \"findings\",\n  \"version\": 2,\n  \"findings\": []\n}\n",
	} {
		var out bytes.Buffer
		if err := WriteFindings(&out, format, "", false, each(nil)); err != nil || out.String() != want {
			t.Errorf("%s is %q, %v", format, out.String(), err)
		}
	}
}

// A document streams its findings one by one, each on a line, as valid JSON.
func TestDocumentOfFindings(t *testing.T) {
	var out bytes.Buffer
	d := StartDocument(&out, NewDocument("tieout"))
	if err := d.Findings(each(some())); err != nil {
		t.Fatal(err)
	}
	if err := d.Close(); err != nil {
		t.Fatal(err)
	}
	var document struct {
		Findings []finding.Finding
	}
	if err := json.Unmarshal(out.Bytes(), &document); err != nil || len(document.Findings) != 3 ||
		strings.Count(out.String(), "\n") != 9 {
		t.Errorf("the document is %s: %v", out.String(), err)
	}
}

// Accepted findings come last, with the reason; one whose decision does not hold
// any more says so. Only those that somebody may want to decide have their id.
func TestAcceptedFindingsArePrinted(t *testing.T) {
	var out bytes.Buffer
	findings := some()
	Findings(NewScreen(&out), findings)
	want := fmt.Sprintf(`
findings  1 review, 1 note, 1 accepted
review    rule             b.xlsx, sheet Journal, line 7  id %s
          named: does not hold␊at all
          accepted by ben, and changed since
note      blank-amount     c.csv
          2 records without an amount
accepted  control-total    a.csv, column debit  id %s
          declared 4, found 1.00
          accepted: known, says Anna
`, findings[1].ID, findings[0].ID)
	if out.String() != want {
		t.Errorf("printed:%s\nwant:%s", out.String(), want)
	}
}

// Of many findings of a kind the first are printed, and what all come to; rules
// are told apart.
func TestManyFindingsAreGrouped(t *testing.T) {
	var findings []finding.Finding
	for _, rule := range []string{"one", "two"} {
		for i := range 8 {
			findings = append(findings, finding.Finding{
				ID: "x", Kind: finding.RuleBroken, Severity: finding.Review, Source: "a.csv", Line: i + 2, Key: rule,
				Amount: "1000.25", Message: fmt.Sprint(rule, i),
			})
		}
	}
	var out bytes.Buffer
	Findings(NewScreen(&out), findings)
	const more = "… 3 more of kind rule, together with those above 8,002.00; --json lists them all"
	if strings.Count(out.String(), more) != 2 || strings.Contains(out.String(), "one5") ||
		!strings.Contains(out.String(), "two4") {
		t.Errorf("printed: %s", out.String())
	}
	// Where some are counted and not listed, there is no sum, and another way to see them.
	findings = append(findings[:7:7], finding.Finding{Kind: finding.RuleBroken, Severity: finding.Review,
		Source: "a.csv",
		Key:    "one", Rest: true, Count: 40, Message: "40 more like this"})
	out.Reset()
	Findings(NewScreen(&out), findings)
	if !strings.Contains(out.String(), "findings  47 review") ||
		!strings.Contains(out.String(), "… 42 more of kind rule; --json lists them all") {
		t.Errorf("printed: %s", out.String())
	}
}

// What is true of every month hides nothing else: blanks of many columns take one line.
func TestBlankAmountsTakeOneLine(t *testing.T) {
	var findings []finding.Finding
	for i := range 30 {
		for _, column := range []string{"debit", "credit"} {
			findings = append(findings, finding.Finding{
				Kind: finding.BlankAmount, Severity: finding.Note, Source: fmt.Sprint("b", i, ".csv"), Column: column,
				Count: 50, Message: "50 records without an amount",
			})
		}
	}
	var out bytes.Buffer
	Findings(NewScreen(&out), findings)
	const want = "note      blank-amount     30 sources\n          3,000 amounts left blank, in debit, credit; " +
		"blank is counted as blank, not as zero\n"
	if got := out.String(); !strings.HasSuffix(got, want) || strings.Count(got, "blank-amount") != 1 {
		t.Errorf("printed: %s", got)
	}
	out.Reset()
	Findings(NewScreen(&out), findings[:1]) // one is said as it is
	if !strings.Contains(out.String(), "b0.csv, column debit\n          50 records without an amount\n") {
		t.Errorf("printed: %s", out.String())
	}
}

// Findings that stop are never put together: each wants to be decided.
func TestFindingsThatStopHaveAnIDEach(t *testing.T) {
	var l finding.List
	for i := range 3 {
		l.Add(finding.Finding{Kind: finding.NotFiled, Source: fmt.Sprint("entity ", i), Message: "has not filed"})
	}
	var out bytes.Buffer
	Findings(NewScreen(&out), l.All())
	if n := strings.Count(out.String(), "  id "); n != 3 {
		t.Errorf("%d ids are printed: %s", n, out.String())
	}
	out.Reset()
	f := l.All()[0]
	Decided(NewScreen(&out), "accept", &f)
	if want := "accept    not-filed        entity 0  id " + f.ID + "\n          has not filed\n"; out.String() != want {
		t.Errorf("decided: %q, want %q", out.String(), want)
	}
	if text := Describe(&f); text != "not-filed  entity 0  has not filed" {
		t.Errorf("described: %q", text)
	}
}

// Of many that say the same the first places are printed, how many there are, and
// what they come to; one that was decided otherwise stands apart.
func TestManyThatSayTheSame(t *testing.T) {
	var findings []finding.Finding
	for i := range 1000 {
		findings = append(findings, finding.Finding{Kind: finding.BlankValue, Severity: finding.Review,
			Source: fmt.Sprint("f", i/500, ".csv"), Line: i%500 + 2, Column: "k", Amount: "1.50",
			Message: "k is blank"})
	}
	findings[999].Lapsed = "was accepted"
	var out bytes.Buffer
	Findings(NewScreen(&out), findings)
	want := `
findings  1,000 review
review    blank-value      f0.csv, lines 2, 3, 4, column k, and 996 more up to f1.csv, line 500, column k
          k is blank; together 1,498.50
review    blank-value      f1.csv, line 501, column k
          k is blank
          was accepted
`
	if out.String() != want {
		t.Errorf("printed:%s\nwant:%s", out.String(), want)
	}
}

// Doubles are printed each by itself, with their places and the values in which
// these differ; of very many places the first ones.
func TestPlacesArePrinted(t *testing.T) {
	var l finding.List
	place := func(n int, values map[string]string) finding.Place {
		return finding.Place{Letter: finding.Letter(n), Source: fmt.Sprintf("f%02d.csv", n), Line: n + 2, Print: "1",
			Values: values}
	}
	l.Add(finding.Finding{Kind: finding.SameKey, Source: "f00.csv", Line: 2, Message: "differs",
		Places: []finding.Place{
			place(0, map[string]string{"text": "Day pass", "debit": "1.00"}),
			place(1, map[string]string{"text": "", "debit": "1.50"}),
		}})
	many := finding.Finding{Kind: finding.SameRecord, Source: "f00.csv", Line: 9, Message: "stands 30 times"}
	for n := range 30 {
		many.Places = append(many.Places, place(n, nil))
	}
	l.Add(many)
	all := l.All()
	for width, want := range map[int]string{
		0: `
findings  1 stop, 1 review
stop      same-key         f00.csv, line 2  id ` + all[0].ID + `
          differs
          A  f00.csv, line 2  debit 1.00, text Day pass
          B  f01.csv, line 3  debit 1.50, text (blank)
review    same-record      f00.csv, line 9  id ` + all[1].ID + `
          stands 30 times
          A  f00.csv, line 2
          B  f01.csv, line 3
          C  f02.csv, line 4
          D  f03.csv, line 5
          … 26 more places; --json lists them
`,
		46: `
findings  1 stop, 1 review
stop      same-key         f00.csv, line 2 id
                           ` + all[0].ID + `
          differs
          A  f00.csv, line 2
             debit 1.00, text Day pass
          B  f01.csv, line 3
             debit 1.50, text (blank)
review    same-record      f00.csv, line 9 id
                           ` + all[1].ID + `
          stands 30 times
          A  f00.csv, line 2
          B  f01.csv, line 3
          C  f02.csv, line 4
          D  f03.csv, line 5
          … 26 more places; --json lists them
`,
	} {
		var out bytes.Buffer
		Findings(&Screen{writer: &out, Width: width}, all)
		if out.String() != want {
			t.Errorf("%d columns wide it prints\n%s, want\n%s", width, out.String(), want)
		}
	}
}

// What was left out stands below the proof.
func TestWhatIsLeftOutIsNamed(t *testing.T) {
	p := proof.Proof{Count: proof.Count{Read: 5, Used: 3, Dropped: 2},
		Totals: []proof.Total{{Column: "debit", Read: amount.New(500, 2), Used: amount.New(300, 2),
			Dropped: amount.New(200, 2)}}}
	p.Left = []proof.Left{{Source: "a.csv", Records: 2, Totals: []amount.Amount{amount.New(200, 2)}, Kind: "overlap",
		Reason: "replaced, ada on 2031-04-03"}}
	var out bytes.Buffer
	Proof(&Screen{writer: &out}, &p)
	want := `
proof    read  = used  + suspense  + dropped
────────────────────────────────────────────
records     5       3           0          2
debit    5.00    3.00           0       2.00

left out  records  debit  kind     why
────────────────────────────────────────────────────────────────
a.csv           2   2.00  overlap  replaced, ada on 2031-04-03
`
	if got := out.String(); strings.ReplaceAll(got, "─", "") != strings.ReplaceAll(want, "─", "") {
		t.Errorf("it prints\n%s, want\n%s", got, want)
	}
	var document bytes.Buffer
	if err := Document(&Screen{writer: &document}, Object{{"proof", ProofObject(&p)}}); err != nil {
		t.Fatal(err)
	}
	if want := `"left_out": [{"source": "a.csv", "records": 2, "totals": {"debit": "2.00"}, "kind": "overlap", "reason": "replaced, ada on 2031-04-03"}]`; !strings.Contains(
		strings.Join(strings.Fields(document.String()), " "),
		want,
	) {
		t.Errorf("the document is %s", document.String())
	}
}
