package cli

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/delimited"
	"lastblock/core/finding"
	"lastblock/core/rollup"
	"lastblock/core/source"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type rollupFlags struct {
	reading   reading
	writing   writing
	by        []string
	sum       []string
	across    string
	subtotals bool
	share     bool
	top       int
	sort      string
}

func (a *app) rollup() *cobra.Command {
	f := new(rollupFlags)
	cmd := &cobra.Command{
		Use:   "rollup PATH… --by COLUMNS --sum COLUMNS",
		Short: "What do the records come to, by group?",
		Long: `One row per group of records that agree in the columns of --by: their number
and the exact sums of the columns of --sum. Group columns are those of the
data, the words of --name, and source. --across spreads the sums over the
values of one more column.`,
		Example: `  lastblock rollup lastblock-demo/journals --name '{entity}_{period}' --by entity --sum debit,credit
  lastblock rollup lastblock-demo/journals --name '{entity}_{period}' --by entity --sum debit --across period
  lastblock rollup lastblock-demo/journals --name '{entity}_{period}' --by entity,account --sum debit --subtotals
  lastblock rollup lastblock-demo/journals --by account --sum debit --share --top 3`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runRollup(cmd, f, paths) },
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&f.by, "by", nil, "columns to group by")
	flags.StringSliceVar(&f.sum, "sum", nil, "amount columns to sum")
	flags.StringVar(&f.across, "across", "", "a column whose values are spread across")
	flags.BoolVar(&f.subtotals, "subtotals", false, "subtotals, where there are several group columns")
	flags.BoolVar(&f.share, "share", false, "each sum's share of the grand total, in percent")
	flags.IntVar(&f.top, "top", 0, "the N groups with the largest first sum, and the rest in one row")
	flags.StringVar(&f.sort, "sort", "", "a column to sort by, sums largest first; :up and :down behind it say otherwise")
	f.writing.addOut(cmd)
	f.writing.addSuspense(cmd)
	f.reading.addTo(cmd)
	f.reading.completeColumns(cmd, false, "sum")
	f.reading.completeColumns(cmd, true, "by", "across", "sort")
	return cmd
}

// check refuses flags that do not go together.
func (f *rollupFlags) check(cmd *cobra.Command) error {
	if err := noneTwice("by", f.by); err != nil {
		return err
	}
	if err := noneTwice("sum", f.sum); err != nil {
		return err
	}
	switch {
	case len(f.by) == 0:
		return fmt.Errorf("--by is needed: the columns to group by\nfor example:\n%s", cmd.Example)
	case len(f.sum) == 0:
		return fmt.Errorf("--sum is needed: the columns to sum\nfor example:\n%s", cmd.Example)
	case cmd.Flags().Changed("top") && f.top < 1:
		return fmt.Errorf("--top %d: at least 1 is needed", f.top)
	case f.top > 0 && f.subtotals:
		return fmt.Errorf("--top and --subtotals do not go together: the largest groups do not stand by their first column")
	case f.sort != "" && f.subtotals:
		return fmt.Errorf("--sort and --subtotals do not go together: subtotals need the groups by their first column")
	case f.subtotals && len(f.by) < 2:
		return fmt.Errorf("--subtotals needs several columns in --by")
	}
	return nil
}

func (a *app) runRollup(cmd *cobra.Command, f *rollupFlags, paths []string) error {
	ctx := cmd.Context()
	if err := f.check(cmd); err != nil {
		return err
	}
	in, err := f.reading.open(ctx, paths)
	if err != nil {
		return err
	}
	if err := in.needSources(); err != nil {
		return err
	}
	var output *show.Output
	var format outFormat
	if f.writing.out != "" {
		if format, err = f.writing.format(); err != nil {
			return err
		}
		if output, err = a.create(in, &f.writing, f.writing.out); err != nil {
			return err
		}
	}
	options := rollup.Options{By: f.by, Sum: f.sum, Across: f.across, Decimal: in.decimal}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(in, &f.writing); err != nil {
		return err
	}
	stop := a.progress(&f.reading, in)
	result, err := rollup.Run(ctx, in.set, in.reading, options)
	stop()
	if err != nil {
		return err
	}
	summary, err := newSummary(f, result)
	if err != nil {
		return err
	}
	if kept != nil {
		if err := a.outputs.Commit(kept); err != nil {
			return err
		}
	}
	stopped := finding.Stops(result.Findings) && !f.writing.anyway
	if output != nil && !stopped {
		if err := writeSummary(output, format, in.set, summary); err != nil {
			return err
		}
		if err := a.outputs.Commit(output); err != nil {
			return err
		}
	}
	if err := a.printRollup(in.set, summary, stopped); err != nil {
		return err
	}
	if finding.Stops(result.Findings) {
		return errStop
	}
	return nil
}

// printRollup prints the summary and what is to be said of it. In a pipe, the
// summary is CSV and all else goes to standard error.
func (a *app) printRollup(set *source.Set, s *summary, stopped bool) error {
	if s.flags.reading.json {
		return show.Document(a.stdout, s.document(set, stopped))
	}
	report := a.stdout
	switch {
	case stopped:
		fmt.Fprintln(a.stderr, "there is no result, because of the findings of weight stop; --anyway gives it all the same")
		if !a.stdout.Terminal {
			report = a.stderr
		}
	case s.flags.writing.out != "":
		fmt.Fprintf(a.stdout, "%s: %s of %s\n", s.flags.writing.out, show.Count(len(s.result.Groups), "group"), show.Count(s.result.Total.Records, "record"))
	case a.stdout.Terminal:
		s.table().Print(a.stdout)
	default:
		if _, err := a.stdout.Write(s.delimited(',')); err != nil {
			return err
		}
		report = a.stderr
	}
	show.Findings(report, s.result.Findings)
	show.Proof(report, &s.result.Proof)
	return nil
}

func writeSummary(output *show.Output, format outFormat, set *source.Set, s *summary) error {
	switch format {
	case jsonFormat:
		return show.Document(output, s.document(set, false))
	case tsvFormat:
		_, err := output.Write(s.delimited('\t'))
		return err
	}
	_, err := output.Write(s.delimited(','))
	return err
}

// summary is a result in the order and with the rows that the flags ask for.
type summary struct {
	flags  *rollupFlags
	result *rollup.Result
	lines  []line
}

// line is a row of a summary and what kind of row it is.
type line struct {
	rollup.Row
	label  string // for a row that is no group: what stands behind its key
	strong bool
	level  int // of a subtotal: how many group columns it keeps
	others int // of the rest: how many groups it holds
}

func newSummary(f *rollupFlags, r *rollup.Result) (*summary, error) {
	s := &summary{flags: f, result: r}
	if f.sort != "" {
		column, direction, _ := strings.Cut(f.sort, ":")
		if direction != "" && direction != "up" && direction != "down" {
			return nil, fmt.Errorf("--sort %s: behind the column may stand :up or :down", f.sort)
		}
		if i := slices.Index(f.sum, column); i >= 0 {
			column = r.Sums[i] // which may have been called by its position
		}
		if !r.Sort(rollup.Order{Column: column, Up: direction == "up", Down: direction == "down"}) {
			return nil, unknownName("column", "", column, append(append(append([]string{}, r.Columns...), r.Sums...), rollup.RecordsColumn))
		}
	}
	switch {
	case f.top > 0:
		top, rest, others := r.Top(f.top)
		for _, row := range top {
			s.lines = append(s.lines, line{Row: row})
		}
		if others > 0 {
			s.lines = append(s.lines, line{Row: rest, label: fmt.Sprintf("%d more", others), others: others})
		}
	case f.subtotals:
		s.addGroups(r.Groups, 1)
	default:
		for _, row := range r.Groups {
			s.lines = append(s.lines, line{Row: row})
		}
	}
	s.lines = append(s.lines, line{Row: r.Total, label: "Total", strong: true})
	return s, nil
}

// addGroups adds groups with a subtotal behind those that agree in their first
// level columns.
func (s *summary) addGroups(rows []rollup.Row, level int) {
	if level == len(s.result.Columns) {
		for _, row := range rows {
			s.lines = append(s.lines, line{Row: row})
		}
		return
	}
	for len(rows) > 0 {
		n := 1
		for n < len(rows) && rows[n].Key[level-1] == rows[0].Key[level-1] {
			n++
		}
		s.addGroups(rows[:n], level+1)
		s.lines = append(s.lines, line{Row: s.result.Subtotal(rows[:n], level), label: "Subtotal", strong: true, level: level})
		rows = rows[n:]
	}
}

// keys are the cells of the group columns.
func (s *summary) keys(l line) []string {
	cells := make([]string, len(s.result.Columns))
	copy(cells, l.Key)
	if l.label != "" {
		cells[len(l.Key)] = l.label
	}
	return cells
}

// header names the columns behind the group columns.
func (s *summary) header() []string {
	r := s.result
	var names []string
	for _, value := range r.Across {
		if value == "" {
			value = "(blank)"
		}
		for _, sum := range r.Sums {
			names = append(names, s.qualified(value, sum))
		}
	}
	for _, sum := range r.Sums {
		if len(r.Across) > 0 {
			sum = s.qualified("total", sum)
		}
		names = append(names, sum)
	}
	if s.flags.share {
		for _, sum := range r.Sums {
			names = append(names, s.qualified("share", sum))
		}
	}
	return append(names, rollup.RecordsColumn)
}

// qualified names a column of a sum, which needs no name where it is alone.
func (s *summary) qualified(what, sum string) string {
	if len(s.result.Sums) == 1 {
		return what
	}
	return what + " " + sum
}

// figures are the cells behind the group columns.
func (s *summary) figures(l line, amounts func(amount.Amount) string, count func(int) string) []string {
	var cells []string
	for _, cell := range l.Cells {
		for k := range s.result.Sums {
			text := ""
			if cell != nil {
				text = amounts(cell[k])
			}
			cells = append(cells, text)
		}
	}
	for _, sum := range l.Sums {
		cells = append(cells, amounts(sum))
	}
	if s.flags.share {
		for k := range l.Sums {
			cells = append(cells, s.share(l, k))
		}
	}
	return append(cells, count(l.Records))
}

// share is a sum's share of the grand total in percent, to two places; blank
// where the total is nought.
func (s *summary) share(l line, sum int) string {
	const places = 2
	percent, ok := amount.Share(l.Sums[sum], s.result.Total.Sums[sum], places)
	if !ok {
		return ""
	}
	return percent.String()
}

func (s *summary) table() *show.Table {
	t := new(show.Table)
	for _, name := range s.result.Columns {
		t.Columns = append(t.Columns, show.Column{Name: name, Key: true})
	}
	for _, name := range s.header() {
		t.Columns = append(t.Columns, show.Column{Name: name, Right: true})
	}
	for _, l := range s.lines {
		cells := append(s.keys(l), s.figures(l, amount.Amount.Money, show.Number)...)
		t.Rows = append(t.Rows, show.Row{Cells: cells, Strong: l.strong})
	}
	return t
}

func (s *summary) delimited(delimiter byte) []byte {
	var out []byte
	add := func(cells []string) {
		for i, cell := range cells {
			if i > 0 {
				out = append(out, delimiter)
			}
			out = delimited.AppendField(out, []byte(cell), delimiter)
		}
		out = append(out, '\n')
	}
	add(append(append([]string{}, s.result.Columns...), s.header()...))
	for _, l := range s.lines {
		add(append(s.keys(l), s.figures(l, amount.Amount.String, func(n int) string { return fmt.Sprint(n) })...))
	}
	return out
}

func (s *summary) document(set *source.Set, stopped bool) show.Object {
	r := s.result
	rows, subtotals := []show.Object{}, []show.Object{}
	doc := show.NewDocument("rollup")
	var rest show.Object
	for _, l := range s.lines {
		o := show.Object{}
		for i, value := range l.Key {
			o.Add(r.Columns[i], value)
		}
		switch o = s.addFigures(o, l); {
		case l.others > 0:
			rest = append(show.Object{{Name: "groups", Value: l.others}}, o...)
		case l.level > 0:
			subtotals = append(subtotals, o)
		case l.label == "":
			rows = append(rows, o)
		}
	}
	if !stopped {
		doc.Add("rows", rows)
		if s.flags.subtotals {
			doc.Add("subtotals", subtotals)
		}
		if rest != nil {
			doc.Add("rest", rest)
		}
		doc.Add("total", s.addFigures(show.Object{}, line{Row: r.Total}))
	}
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

// addFigures adds the sums by name, the cells by value, shares and records.
func (s *summary) addFigures(o show.Object, l line) show.Object {
	r := s.result
	o = append(o, show.Amounts(r.Sums, l.Sums)...)
	if len(r.Across) > 0 {
		across := show.Object{}
		for i, cell := range l.Cells {
			if cell != nil {
				across.Add(r.Across[i], show.Amounts(r.Sums, cell))
			}
		}
		o.Add("across", across)
	}
	if s.flags.share {
		shares := show.Object{}
		for k, sum := range r.Sums {
			if text := s.share(l, k); text != "" {
				shares.Add(sum, text)
			}
		}
		o.Add("share", shares)
	}
	o.Add(rollup.RecordsColumn, l.Records)
	return o
}
