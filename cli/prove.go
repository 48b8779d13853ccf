package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/prove"
	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/source"
	"lastblock/core/value/statistic"
	"lastblock/show"

	"github.com/spf13/cobra"
)

const equalsFlag = "equals"

type proveFlags struct {
	reading reading
	equals  []string
	exact   bool
	first   int
}

func (a *app) prove() *cobra.Command {
	f := new(proveFlags)
	cmd := &cobra.Command{
		Use:   "prove [A…] --equals B…",
		Short: "Are these the same records?",
		Long: `Decides whether two sets hold the same records, each as often as in the other.
Columns are matched by name; the order of records and columns, the borders of
files and their format do not matter. Values are compared by what they mean:
1,234.50 and 1234.5 are equal, and so are 2031-01-31 and 31 Jan 2031, but 0100
and 100 are not, as digits with a leading zero are a code. With --exact the
texts are compared.

Exit code 0: they are the same. 1: they are not.`,
		Example: `  lastblock collate --plan lastblock-demo/lastblock.toml --bare --out lastblock-demo/results/bare.csv --replace
  lastblock prove --plan lastblock-demo/lastblock.toml --equals lastblock-demo/results/bare.csv
  lastblock prove lastblock-demo/journals/dunmarrow_2031-01.txt --equals lastblock-demo/journals/dunmarrow_2031-02.txt`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runProve(cmd.Context(), f, paths) },
	}
	cmd.Flags().StringArrayVar(&f.equals, equalsFlag, nil, "the other set: files, folders, patterns")
	isFile(cmd, equalsFlag)
	cmd.Flags().BoolVar(&f.exact, "exact", false, "values are equal only where their texts are")
	cmd.Flags().IntVar(&f.first, "first", 5, "how many of the records that only one side has are shown")
	f.reading.addTo(a, cmd)
	return cmd
}

// spread are flags whose values are paths, as many as stand behind them.
var spread = []string{"--" + equalsFlag, "--" + againstFlag}

// spreadPaths makes all words behind such a flag, up to the next flag, values of it, as
// a shell leaves them there for a pattern.
func spreadPaths(args []string) []string {
	var all []string
	within := ""
	for i, arg := range args {
		isFlag := len(arg) > 1 && arg[0] == '-'
		if within != "" && !isFlag && i > 0 && args[i-1] != within {
			all = append(all, within)
		}
		all = append(all, arg)
		if isFlag {
			within = ""
			if slices.Contains(spread, arg) {
				within = arg
			}
		}
	}
	return all
}

func (a *app) runProve(ctx context.Context, f *proveFlags, paths []string) error {
	switch {
	case len(f.equals) == 0:
		return errors.New("--equals: what is it to be compared with? Name the other set behind --equals")
	case f.first < 0:
		return fmt.Errorf("--first %d: a number of records is needed", f.first)
	}
	left, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return err
	}
	right, err := f.reading.openSources(ctx, f.equals)
	if err != nil {
		return err
	}
	right.reading.Progress = left.reading.Progress
	right.set.ForgetNames() // what names tell is no part of the records
	stop := func() {}
	if !f.reading.quiet {
		stop = show.Progress(a.stderr, a.begun, left.reading.Progress, len(left.set.Sources)+len(right.set.Sources), left.set.Bytes()+right.set.Bytes())
	}
	r, err := prove.Run(ctx, left.set, right.set, left.reading, prove.Options{Exact: f.exact, First: f.first})
	stop()
	if err != nil {
		return err
	}
	left.settle(r.Left.Findings)
	right.settle(r.Right.Findings)
	p := proved{r, left.set, right.set}
	if f.reading.json {
		err = show.Document(a.stdout, p.document())
	} else {
		a.printProved(&p)
	}
	if err == nil && (!r.Equal || finding.Stops(r.Left.Findings) || finding.Stops(r.Right.Findings)) {
		return errStop
	}
	return err
}

// proved is what was compared, and with which outcome.
type proved struct {
	*prove.Result
	left, right *source.Set
}

// findings are those of both sides, the left one's first.
func (p *proved) findings() []finding.Finding {
	return append(slices.Clone(p.Left.Findings), p.Right.Findings...)
}

// proof is that of both sides together.
func (p *proved) proof() *proof.Proof {
	l, r := p.Left.Proof.Count, p.Right.Proof.Count
	return &proof.Proof{Count: proof.Count{Read: l.Read + r.Read, Used: l.Used + r.Used, Suspense: l.Suspense + r.Suspense, Dropped: l.Dropped + r.Dropped}}
}

func (p *proved) document() show.Object {
	doc := show.NewDocument("prove")
	doc.Add("equal", p.Equal)
	doc.Add("compared", append([]string{}, p.Compared...))
	doc.Add("left", sideObject(&p.Left))
	doc.Add("right", sideObject(&p.Right))
	doc.Add("only_left", p.Left.Only)
	doc.Add("only_right", p.Right.Only)
	doc.Add("first_left", p.recordObjects(p.left, p.Left.First))
	doc.Add("first_right", p.recordObjects(p.right, p.Right.First))
	doc.Add("passed_over", append(passedOver(p.left), passedOver(p.right)...))
	doc.Add("findings", p.findings())
	doc.Add("proof", show.ProofObject(p.proof()))
	return doc
}

func sideObject(s *prove.Side) show.Object {
	totals := show.Object{}
	columns := []show.Object{}
	for i := range s.Columns {
		c := &s.Columns[i]
		if c.Has {
			totals.Add(c.Column, c.Sum.String())
		}
		columns = append(columns, summaryObject(c, func(*show.Object) {}, func(*show.Object) {}))
	}
	return show.Object{
		{Name: "rows", Value: s.Rows}, {Name: "totals", Value: totals}, {Name: "columns", Value: columns},
		{Name: "only_columns", Value: append([]string{}, s.OnlyColumns...)},
	}
}

func (p *proved) recordObjects(set *source.Set, records []prove.Record) []show.Object {
	objects := []show.Object{}
	for _, r := range records {
		o := sourceObject(set, r.Index)
		o.Add("line", r.Line)
		if r.Texts != nil {
			o.Add("record", append([]string{}, r.Texts...))
		}
		objects = append(objects, o)
	}
	return objects
}

func (a *app) printProved(p *proved) {
	s := a.stdout
	switch {
	case p.Equal:
		fmt.Fprintf(s, "%s  both sides hold the same %s\n\n", s.Bold("equal"), show.Count(p.Left.Rows, "record"))
	default:
		fmt.Fprintf(s, "%s  %s only on the left, %s only on the right\n\n", s.Bold("not equal"), show.Count(p.Left.Only, "record"), show.Count(p.Right.Only, "record"))
	}
	sides := show.Table{Columns: []show.Column{
		{Name: "column", Key: true}, {Name: "side", Key: true, Whole: true}, {Name: "count", Right: true}, {Name: "blank", Right: true}, {Name: "sum", Right: true},
		{Name: "mean", Right: true}, {Name: "deviation", Right: true}, {Name: "min", Right: true}, {Name: "max", Right: true},
	}}
	row := func(column, side string, cells []string) { sides.Add(append([]string{column, side}, cells...)...) }
	if p.Left.Rows == p.Right.Rows {
		row("(records)", "both", figuresOf(p.Left.Rows))
	} else {
		row("(records)", "left", figuresOf(p.Left.Rows))
		row("", "right", figuresOf(p.Right.Rows))
	}
	for i := range p.Compared {
		left, right := summaryCells(&p.Left.Columns[i]), summaryCells(&p.Right.Columns[i])
		if slices.Equal(left, right) {
			row(p.Compared[i], "both", left)
			continue
		}
		row(p.Compared[i], "left", left)
		row("", "right", right)
	}
	sides.Print(s)
	for _, side := range []struct {
		name    string
		set     *source.Set
		columns []string
		records []prove.Record
		only    int
	}{{"left", p.left, p.Left.OnlyColumns, p.Left.First, p.Left.Only}, {"right", p.right, p.Right.OnlyColumns, p.Right.First, p.Right.Only}} {
		if len(side.columns) > 0 {
			fmt.Fprintf(s, "\nonly the %s side has the columns %s; leave them out with --drop to compare the rest\n", side.name, strings.Join(side.columns, ", "))
		}
		p.printOnly(s, side.name, side.set, side.records, side.only)
	}
	a.printPassedOver(p.left)
	a.printPassedOver(p.right)
	show.Findings(s, p.findings())
	show.Proof(s, p.proof())
}

// figuresOf is a row of the table for a number of records.
func figuresOf(rows int) []string { return []string{show.Number(rows), "", "", "", "", "", ""} }

func summaryCells(c *statistic.Summary) []string {
	cells := []string{show.Number(c.Count), show.Number(c.Blank)}
	switch {
	case c.Has:
		deviation := ""
		if c.HasDeviation {
			deviation = c.Deviation.Money()
		}
		return append(cells, c.Sum.Money(), c.Mean.Money(), deviation, c.Min.Money(), c.Max.Money())
	case c.First != "":
		return append(cells, "", "", "", c.First, c.Last)
	}
	return append(cells, "", "", "", "", "")
}

// printOnly prints the first records that only one side has.
func (p *proved) printOnly(s *show.Screen, name string, set *source.Set, records []prove.Record, only int) {
	if only == 0 {
		return
	}
	fmt.Fprintln(s)
	t := show.Table{Columns: []show.Column{{Name: "only " + name, Key: true}, {Name: "line", Right: true, Key: true}}}
	for _, column := range p.Compared {
		t.Columns = append(t.Columns, show.Column{Name: column})
	}
	for _, r := range records {
		cells := append([]string{set.Sources[r.Index].Name, fmt.Sprint(r.Line)}, r.Texts...)
		for len(cells) < len(t.Columns) {
			cells = append(cells, "")
		}
		t.Add(cells...)
	}
	t.Print(s)
	if more := only - len(records); more > 0 {
		fmt.Fprintf(s, "%s\n", s.Faint(fmt.Sprintf("… %s more; --first shows more of them", show.Number(more))))
	}
}
