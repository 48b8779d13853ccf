package view

import (
	"fmt"
	"io"
	"slices"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/source"
	"lastblock/core/value/words"
	"lastblock/show"
)

// Close is a close as it is shown.
type Close struct {
	Period    string
	Verdict   block.Verdict
	Stops     int
	Tied      *tieout.Result
	Set       *source.Set
	Findings  []finding.Finding
	Checks    []Check
	Sealed    bool // or would be, of a rehearsal
	Rehearsed bool
	Block     *block.Entry // nil where nothing is sealed
	Left      []Left
	Since     *block.Entry // the block from which Bridges lead, nil for none
	Bridges   []month.Bridge
	Standing  []*block.Entry // of later periods, which were closed with what is restated
	Earlier   *block.Entry   // the block before, where the clock says that it was closed later; else nil
}

// Check is what a check beside the tie-out has come to.
type Check struct{ Name, Text string }

// Left is a result that stays as the close of a later period has made it.
type Left struct {
	Name   string
	Block  int
	Period string
}

// line says in one line what the close has come to.
func (c *Close) line() string {
	text := fmt.Sprintf("close of %s: %s", c.Period, c.Verdict)
	if c.Stops > 0 {
		findings := "findings"
		if c.Stops == 1 {
			findings = "finding"
		}
		text += fmt.Sprintf(", %s \"stop\" %s", show.Number(c.Stops), findings)
	}
	return text
}

// Print prints it.
func (c *Close) Print(s *show.Screen) {
	fmt.Fprintln(s, s.Bold(c.line()))
	if c.Tied.Matrix != nil {
		printMatrix(s, c.Tied.Matrix, false)
	}
	printPassedOver(s, c.Set)
	show.Findings(s, c.Findings)
	show.Proof(s, &c.Tied.Proof)
	c.printChecks(s)
	if c.Block != nil {
		c.printResults(s)
	}
	for _, b := range onceEach(c.Bridges) {
		if len(b.Lines) > 2 {
			printBridge(s, &b, c.Since, shownInClose)
		}
	}
	for _, l := range c.Left {
		fmt.Fprintf(s, "%s stays as block %d of %s has made it\n", l.Name, l.Block, l.Period)
	}
	for _, e := range c.Standing {
		fmt.Fprintf(s, "%s still stands on block %d; close it again, with --restate\n", e.Period, c.Block.Restates)
	}
	if c.Earlier != nil {
		fmt.Fprintf(s, "the clock of this machine is behind block %d, which was closed at %s; blocks are in the "+
			"order of "+
			"their numbers\n", c.Earlier.Number, c.Earlier.Time.UTC().Format("2006-01-02 15:04"))
	}
	fmt.Fprintln(s)
	switch {
	case c.Block != nil && c.Rehearsed:
		fmt.Fprintf(s, "rehearsed: nothing was placed; it would be block %d of %s\n", c.Block.Number, c.Period)
	case c.Block != nil:
		fmt.Fprintln(s, s.Bold(fmt.Sprintf("block %d of %s, seal %s", c.Block.Number, c.Period,
			block.Short(c.Block.Seal))))
	default:
		fmt.Fprintln(s, "nothing was placed or sealed; decide about the findings, or mend the files, and close again")
	}
}

// onceEach has bridges that are the same line by line once, under the names of all their results and columns.
func onceEach(bridges []month.Bridge) (all []month.Bridge) {
	results, columns := [][]string{}, [][]string{}
	for _, b := range bridges {
		at := slices.IndexFunc(all, func(o month.Bridge) bool {
			return slices.Equal(o.Group, b.Group) && slices.EqualFunc(o.Lines, b.Lines, sameLine)
		})
		if at < 0 {
			at = len(all)
			all, results, columns = append(all, b), append(results, nil), append(columns, nil)
		}
		if !slices.Contains(results[at], b.Result) {
			results[at] = append(results[at], b.Result)
		}
		if !slices.Contains(columns[at], b.Column) {
			columns[at] = append(columns[at], b.Column)
		}
	}
	for i := range all {
		all[i].Result, all[i].Column = words.And(results[i]...), words.And(columns[i]...)
	}
	return all
}

func sameLine(a, b month.BridgeLine) bool {
	return a.Label == b.Label && a.Source == b.Source && a.Amount.Cmp(b.Amount) == 0
}

func (c *Close) printChecks(s *show.Screen) {
	t := show.Table{Columns: []show.Column{{Name: "check", Key: true}, {Name: "came to"}}}
	for _, check := range c.Checks {
		t.Add(check.Name, check.Text)
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(s)
		t.Print(s)
	}
}

func (c *Close) printResults(s *show.Screen) {
	t := show.Table{Columns: []show.Column{{Name: "result", Key: true}, {Name: "rows", Right: true},
		{Name: "SHA-256", Whole: true}}}
	for _, r := range c.Block.Results {
		rows := show.Number(r.Rows)
		if r.Command == "report" || r.As != "" {
			rows = "" // of which others have told
		}
		t.Add(r.Name, rows, block.Short(r.SHA256))
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(s)
		t.Print(s)
	}
}

// Document writes its JSON.
func (c *Close) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("close"))
	d.Add("period", c.Period)
	d.Add("verdict", string(c.Verdict))
	d.Add("rehearsed", c.Rehearsed)
	checks := []show.Object{}
	for _, check := range c.Checks {
		checks = append(checks, show.Object{{Name: "check", Value: check.Name}, {Name: "text", Value: check.Text}})
	}
	d.Add("checks", checks)
	results := []show.Object{}
	if c.Block != nil {
		o := show.Object{{Name: "number", Value: c.Block.Number}, {Name: "period", Value: c.Block.Period},
			{Name: "seal", Value: c.Block.Seal}}
		if c.Block.Previous != nil {
			o.Add("previous", c.Block.Previous.Seal)
		}
		d.Add("block", o)
		for _, r := range c.Block.Results {
			result := show.Object{{Name: "command", Value: r.Command}, {Name: "name", Value: r.Title},
				{Name: "out", Value: r.Name}, {Name: "sha256", Value: r.SHA256}, {Name: "rows", Value: r.Rows},
				{Name: "totals", Value: totalsObject(r.Totals)}}
			if r.As != "" {
				result.Add("as", r.As)
			}
			results = append(results, result)
		}
	}
	d.Add("results", results)
	left := []show.Object{}
	for _, l := range c.Left {
		left = append(left, show.Object{{Name: "out", Value: l.Name}, {Name: "block", Value: l.Block},
			{Name: "period", Value: l.Period}})
	}
	d.Add("left", left)
	standing := []show.Object{}
	for _, e := range c.Standing {
		standing = append(standing, show.Object{{Name: "period", Value: e.Period}, {Name: "block", Value: e.Number}})
	}
	d.Add("standing", standing)
	d.Add("bridges", BridgeObjects(c.Bridges))
	d.Add("passed_over", passedOver(c.Set))
	d.Add("findings", c.Findings)
	d.Add("proof", show.ProofObject(&c.Tied.Proof))
	return d.Close()
}

func totalsObject(totals []block.Total) show.Object {
	o := show.Object{}
	for _, t := range totals {
		o.Add(t.Column, t.Amount)
	}
	return o
}
