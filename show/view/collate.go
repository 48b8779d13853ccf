package view

import (
	"fmt"
	"io"

	"lastblock/core/capability/collate"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
)

// Collation is one set of records as it is shown.
type Collation struct {
	*collate.Result
	Name string // "" for one without a name
	Out  string // where it was written, "" for nowhere
}

// Collations are those of one reading, by collate or a command that makes them.
type Collations struct {
	Command  string
	All      []Collation
	Set      *source.Set
	Verdict  *month.Verdict // nil without a tie-out
	Findings []finding.Finding
	Withheld bool
}

// Document writes their JSON. What a single one has stands at the top; records adds the records of
// one of them, where they are wanted.
func (c *Collations) Document(w io.Writer, records func(i int, d *show.DocumentWriter) error) error {
	d := show.StartDocument(w, show.NewDocument(c.Command))
	addSources(d, c.Set)
	members := func(i int, d *show.DocumentWriter) error {
		one := c.All[i]
		d.Add("columns", one.Columns)
		d.Add("rows", one.Records)
		if one.Out != "" && !c.Withheld {
			d.Add("out", one.Out)
		}
		return nil
	}
	alone := len(c.All) == 1
	if alone {
		if err := members(0, d); err != nil {
			return err
		}
	}
	if !alone || c.All[0].Name != "" {
		err := d.Objects("results", len(c.All), func(i int, o *show.DocumentWriter) error {
			o.Add("name", c.All[i].Name)
			if err := members(i, o); err != nil {
				return err
			}
			o.Add("proof", show.ProofObject(&c.All[i].Proof))
			if alone || c.Withheld {
				return nil // the records stand at the top
			}
			return records(i, o)
		})
		if err != nil {
			return err
		}
	}
	addVerdict(d, c.Verdict)
	d.Add("passed_over", passedOver(c.Set))
	d.Add("findings", c.Findings)
	if alone {
		d.Add("proof", show.ProofObject(&c.All[0].Proof))
		if !c.Withheld {
			if err := records(0, d); err != nil {
				return err
			}
		}
	}
	return d.Close()
}

// Report prints what stands below the records: the findings, the verdict, the proofs.
func (c *Collations) Report(screen *show.Screen) {
	show.Findings(screen, c.Findings)
	PrintVerdict(screen, c.Verdict)
	for _, one := range c.All {
		if len(c.All) > 1 {
			fmt.Fprintf(screen, "\n%s", screen.Bold(one.Name))
		}
		show.Proof(screen, &one.Proof)
	}
}
