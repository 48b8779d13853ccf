package view

import (
	"fmt"
	"io"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/source"
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
	Sealed    bool // or would be, of a rehearsal
	Rehearsed bool
	Block     *block.Entry // nil where nothing is sealed
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
	if c.Tied.Matrix != nil {
		printMatrix(s, c.Tied.Matrix, false)
	}
	printPassedOver(s, c.Set)
	show.Findings(s, c.Findings)
	show.Proof(s, &c.Tied.Proof)
	if c.Block != nil {
		c.printResults(s)
	}
	fmt.Fprintf(s, "\n%s\n", s.Bold(c.line()))
	switch {
	case c.Block != nil && c.Rehearsed:
		fmt.Fprintf(s, "rehearsed: nothing was placed; it would be block %d\n", c.Block.Number)
	case c.Block != nil:
		fmt.Fprintf(s, "block %d, seal %s\n", c.Block.Number, block.Short(c.Block.Seal))
	default:
		fmt.Fprintln(s, "nothing was placed or sealed; decide about the findings, or mend the files, and close again")
	}
}

func (c *Close) printResults(s *show.Screen) {
	t := show.Table{Columns: []show.Column{{Name: "result", Key: true}, {Name: "rows", Right: true},
		{Name: "SHA-256", Whole: true}}}
	for _, r := range c.Block.Results {
		t.Add(r.Name, show.Number(r.Rows), block.Short(r.SHA256))
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
	results := []show.Object{}
	if c.Block != nil {
		o := show.Object{{Name: "number", Value: c.Block.Number}, {Name: "period", Value: c.Block.Period},
			{Name: "seal", Value: c.Block.Seal}}
		if c.Block.Previous != nil {
			o.Add("previous", c.Block.Previous.Seal)
		}
		d.Add("block", o)
		for _, r := range c.Block.Results {
			results = append(results, show.Object{{Name: "command", Value: r.Command}, {Name: "name", Value: r.Title},
				{Name: "out", Value: r.Name}, {Name: "sha256", Value: r.SHA256}, {Name: "rows", Value: r.Rows},
				{Name: "totals", Value: totalsObject(r.Totals)}})
		}
	}
	d.Add("results", results)
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
