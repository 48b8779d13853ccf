package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type doublesFlags struct {
	reading  reading
	writing  writing
	totals   []string
	share    string
	on       []string
	key      []string
	loose    []string
	near     []string
	across   bool
	within   bool
	keep     string
	bare     bool
	findings string
	review   string
}

func (a *app) doubles() *cobra.Command { return a.doublesWith(new(doublesFlags)) }

// doublesWith makes the command with its flags in f.
func (a *app) doublesWith(f *doublesFlags) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "doubles [PATH…]",
		Short: "What would be counted twice?",
		Long: `Finds what would be counted twice: files that are the same, in the same bytes or
not, files that are contained in others or overlap with them, files that were
sent again with changes; then records that stand more than once, and with --key
those that have one key and different values; with --near records that are
almost the same. What is told with the files is not told again with the records.
Values are compared by what they mean, as prove does.

Nothing is left out before somebody says so: decide ID --drop B leaves one of
them out from then on, decide ID --keep says that all are to be counted, and
--review writes a workbook to decide in. --keep proposes what to keep, and with
--out writes it; --suspense then has the rest.

--near takes conditions, all of which have to hold: amount:0.01 (a tolerance),
posted:3d (days), document:1 (so many edits, of which a swap of neighbours is
one), party:same, amount:opposite (a reversal). It may be given several times.`,
		Example: `  lastblock doubles --plan lastblock-demo/april/lastblock.toml
  lastblock doubles lastblock-demo/journals --only 'dunmarrow*' --total debit,credit
  lastblock doubles --plan lastblock-demo/april/lastblock.toml --review lastblock-demo/april/results/review.xlsx --replace
  lastblock doubles --plan lastblock-demo/april/lastblock.toml --keep last --out lastblock-demo/april/results/kept.csv --suspense lastblock-demo/april/results/dropped.csv --replace`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runDoubles(cmd.Context(), f, paths) },
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&f.totals, "total", nil, "amount columns whose money is told")
	flags.StringVar(&f.share, "overlap-share", "5%", "files overlap from such a share of the smaller one's records on")
	flags.StringSliceVar(&f.on, "on", nil, "records are the same where these columns are (all columns)")
	flags.StringSliceVar(&f.key, "key", nil, "columns by which a record is known: one key with different values is told")
	flags.StringSliceVar(&f.loose, "loose", nil, "what makes no difference in a key: blanks, case, zeros (in front), punctuation")
	flags.StringArrayVar(&f.near, "near", nil, "report records that are almost the same, e.g. 'amount:0.01, posted:3d, document:1, party:same'")
	flags.BoolVar(&f.across, "across-only", false, "report only records found in several sources")
	flags.BoolVar(&f.within, "within-only", false, "report only records found several times in one source")
	flags.StringVar(&f.keep, "keep", "", "propose what to keep: first, last, newest-file, largest-file or none")
	flags.BoolVar(&f.bare, "bare", false, "in the file of --out, leave out the words of --name, source and source_line")
	flags.StringVar(&f.findings, "findings", "", "write every finding to a file, in the format of its ending as with --out")
	isFile(cmd, "findings")
	flags.StringVar(&f.review, "review", "", "write a workbook (.xlsx) in which to decide, for decide --from")
	isFile(cmd, "review")
	f.writing.addResult(cmd)
	f.writing.addSuspense(cmd)
	f.reading.addTo(a, cmd)
	f.reading.completeColumns(cmd, false, "total", "on", "key")
	return cmd
}

// options are what the flags say.
func (f *doublesFlags) options() (options doubles.Options, err error) {
	for flag, columns := range map[string][]string{"total": f.totals, "on": f.on, "key": f.key} {
		if err := noneTwice(flag, columns); err != nil {
			return options, err
		}
	}
	options = doubles.Options{Totals: f.totals, On: f.on, Key: f.key, Across: f.across, Within: f.within, Whole: f.reading.json || f.findings != ""}
	switch {
	case f.across && f.within:
		return options, fmt.Errorf("--across-only and --within-only do not go together: nothing would be left")
	case len(f.loose) > 0 && len(f.key) == 0:
		return options, fmt.Errorf("--loose: it is about keys, and there is no --key")
	}
	options.Share, err = amount.Parse([]byte(strings.TrimSpace(strings.TrimSuffix(f.share, "%"))), '.')
	if err != nil || options.Share.Sign() <= 0 || options.Share.Cmp(amount.New(100, 0)) > 0 {
		return options, fmt.Errorf("--overlap-share %s: a share of more than 0 %% and up to 100 %% is needed, as 5%%", f.share)
	}
	if options.Loose, err = equality.ParseLoose(f.loose); err != nil {
		return options, fmt.Errorf("--loose %w", err)
	}
	if f.keep != "" {
		if options.Keep, err = doubles.ParsePolicy(f.keep); err != nil {
			return options, fmt.Errorf("--keep %w", err)
		}
	}
	amounts := append(f.reading.amounts(), f.totals...)
	for _, text := range f.near {
		near, err := doubles.ParseNear(text, amounts)
		if err != nil {
			return options, fmt.Errorf("--near %w", err)
		}
		options.Near = append(options.Near, near)
	}
	return options, nil
}

// amounts are the columns that --as says are amounts.
func (r *reading) amounts() []string {
	var columns []string
	for _, as := range r.manner.as {
		if column, kind, _ := strings.Cut(as, "="); kind == "amount" {
			columns = append(columns, column)
		}
	}
	return columns
}

// doublesRun is a search for doubles that was made.
type doublesRun struct {
	flags  *doublesFlags
	in     *input
	result *doubles.Result
	kept   *collate.Result // what was written with --out, nil without
}

func (r *doublesRun) eachFinding(visit func(*finding.Finding) error) error {
	return r.result.EachFinding(func(f *finding.Finding) error {
		r.in.decided.Settle(f)
		return visit(f)
	})
}

func (a *app) runDoubles(ctx context.Context, f *doublesFlags, paths []string) error {
	outputs, err := a.prepareDoubles(f)
	if err != nil {
		return err
	}
	r, err := a.findDoubles(ctx, f, paths, outputs)
	if err != nil {
		return err
	}
	defer r.result.Close()
	if err := a.writeDoubles(ctx, r, outputs, paths); err != nil {
		return err
	}
	if f.reading.json {
		err = a.printDoublesDocument(r)
	} else {
		a.printDoubles(r)
	}
	if err == nil && finding.Stops(r.result.Findings) {
		return errStop
	}
	return err
}

// doublesOutputs are the files that are written.
type doublesOutputs struct {
	format, findingsFormat show.Format
	packed, findingsPacked string

	out, suspense, findings, review *show.Output // nil for those that are not asked for
}

// prepareDoubles makes sure of the names of the files to be written.
func (a *app) prepareDoubles(f *doublesFlags) (*doublesOutputs, error) {
	o := new(doublesOutputs)
	var err error
	if f.writing.out != "" {
		if o.format, o.packed, err = show.FormatOf("out", f.writing.out); err != nil {
			return nil, err
		}
	}
	if f.findings != "" {
		if o.findingsFormat, o.findingsPacked, err = show.FormatOf("findings", f.findings); err != nil {
			return nil, err
		}
	}
	if f.review != "" && !strings.HasSuffix(strings.ToLower(f.review), ".xlsx") {
		return nil, fmt.Errorf("--review %s: the name of a workbook is needed, which ends in .xlsx", f.review)
	}
	return o, nil
}

// findDoubles reads what the flags say and finds doubles in it.
func (a *app) findDoubles(ctx context.Context, f *doublesFlags, paths []string, outputs *doublesOutputs) (*doublesRun, error) {
	options, err := f.options()
	if err != nil {
		return nil, err
	}
	in, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return nil, err
	}
	if err := checkEarly(ctx, in, f.totals); err != nil {
		return nil, err
	}
	for _, o := range []struct {
		path   string
		output **show.Output
	}{{f.writing.out, &outputs.out}, {f.writing.suspense, &outputs.suspense}, {f.findings, &outputs.findings}, {f.review, &outputs.review}} {
		if o.path == "" {
			continue
		}
		if *o.output, err = a.create(in, &f.writing, o.path); err != nil {
			return nil, err
		}
	}
	if options.Drop, err = in.left(); err != nil {
		return nil, err
	}
	stop := a.progress(&f.reading, in)
	result, err := doubles.Find(ctx, in.set, in.reading, options)
	stop()
	if err != nil {
		return nil, err
	}
	in.settle(result.Findings)
	return &doublesRun{flags: f, in: in, result: result}, nil
}

// writeDoubles writes the files that are asked for.
func (a *app) writeDoubles(ctx context.Context, r *doublesRun, o *doublesOutputs, paths []string) error {
	if o.out != nil || o.suspense != nil {
		if err := a.writeKept(ctx, r, o, paths); err != nil {
			return err
		}
	}
	if o.findings != nil {
		if err := show.WriteFindings(o.findings, o.findingsFormat, o.findingsPacked, r.flags.writing.shield, r.eachFinding); err != nil {
			return err
		}
	}
	if o.review != nil {
		if err := show.WriteReview(o.review, r.result.Columns, r.result.Totals, r.result.Findings); err != nil {
			return err
		}
	}
	return a.outputs.Commit(o.out, o.suspense, o.findings, o.review)
}

// writeKept puts together what is kept, and sets aside what is not.
func (a *app) writeKept(ctx context.Context, r *doublesRun, o *doublesOutputs, paths []string) (err error) {
	in, err := r.flags.reading.openSources(ctx, paths)
	if err != nil {
		return err
	}
	options := collate.Options{Bare: r.flags.bare, Totals: r.flags.totals, Delimiter: ',', Shield: r.flags.writing.shield, Both: true, Drop: r.dropped()}
	if options.Drop != nil {
		options.Drop.Reset()
	}
	if options.Suspense, err = newSuspense(o.suspense, r.flags.writing.shield); err != nil {
		return err
	}
	out := o.out
	if out == nil { // what is kept is counted all the same
		if out, err = a.outputs.Spool(); err != nil {
			return err
		}
		o.format = show.CSV
	}
	if o.format == show.TSV {
		options.Delimiter = '\t'
	}
	stop := a.progress(&r.flags.reading, in)
	r.kept, err = writeCollation(ctx, in, options, o.format, o.packed, new(collateFlags), out)
	stop()
	if err != nil {
		return err
	}
	if before, after := &r.result.Proof, &r.kept.Proof; before.Read != after.Read {
		return fmt.Errorf("the sources have changed since this run began: %s were read first, and %s then; run again",
			show.Count(before.Read, "record"), show.Count(after.Read, "record"))
	}
	return nil
}

// dropped is what is left out: what was decided, and what is proposed.
func (r *doublesRun) dropped() *drop.Set { return r.result.Proposed.Drop }

// proof is that of what was written, or else of what was read.
func (r *doublesRun) proof() *proof.Proof {
	if r.kept != nil {
		return &r.kept.Proof
	}
	return &r.result.Proof
}

func (a *app) printDoublesDocument(r *doublesRun) error {
	sum := func(o show.Object, s *doubles.Sum) show.Object {
		return append(o, show.Object{
			{Name: "findings", Value: s.Findings}, {Name: "records", Value: s.Records}, {Name: "totals", Value: show.Amounts(r.result.Totals, s.Totals)},
		}...)
	}
	kinds, pairs := []show.Object{}, []show.Object{}
	for i := range r.result.Kinds {
		row := &r.result.Kinds[i]
		kinds = append(kinds, sum(show.Object{{Name: "kind", Value: string(row.Kind)}}, &row.Sum))
	}
	for i := range r.result.Pairs {
		row := &r.result.Pairs[i]
		pairs = append(pairs, sum(show.Object{{Name: "a", Value: row.A}, {Name: "b", Value: row.B}}, &row.Sum))
	}
	doc := show.NewDocument("doubles")
	doc.Add("columns", append([]string{}, r.result.Columns...))
	doc.Add("kinds", kinds)
	doc.Add("pairs", pairs)
	if r.flags.keep != "" {
		p := &r.result.Proposed
		doc.Add("proposed", show.Object{{Name: "keep", Value: r.flags.keep}, {Name: "sources", Value: p.Sources}, {Name: "records", Value: p.Records}})
	}
	if r.kept != nil && r.flags.writing.out != "" {
		doc.Add("out", r.flags.writing.out)
		doc.Add("rows", r.kept.Records)
	}
	doc.Add("passed_over", passedOver(r.in.set))
	d := show.StartDocument(a.stdout, doc)
	if err := d.Findings(r.eachFinding); err != nil {
		return err
	}
	d.Add("proof", show.ProofObject(r.proof()))
	return d.Close()
}

func (a *app) printDoubles(r *doublesRun) {
	s := a.stdout
	if len(r.result.Kinds) == 0 {
		fmt.Fprintf(s, "nothing would be counted twice: %s of %s\n", show.Count(r.result.Proof.Used, "record"), show.Count(len(r.in.set.Sources), "source"))
	} else {
		a.printKinds(r)
		a.printPairs(r)
	}
	a.printPassedOver(r.in.set)
	show.Findings(s, r.result.Findings)
	if slices.ContainsFunc(r.result.Findings, func(f finding.Finding) bool { return len(f.Places) > 0 && f.Accepted == "" }) {
		fmt.Fprintf(s, "\n%s\n", s.Faint("to decide: lastblock decide ID --drop B --reason TEXT leaves B out, --keep counts all; --review FILE.xlsx is for many at a time"))
	}
	a.printProposal(r)
	show.Proof(s, r.proof())
}

// columnsWithTotals are those of a table of sums.
func (r *doublesRun) columnsWithTotals(keys ...show.Column) []show.Column {
	columns := append(keys, show.Column{Name: "findings", Right: true}, show.Column{Name: "records twice", Right: true})
	for _, total := range r.result.Totals {
		columns = append(columns, show.Column{Name: total + " twice", Right: true})
	}
	return columns
}

func cellsOf(s *doubles.Sum, keys ...string) []string {
	cells := append(keys, show.Number(s.Findings), show.Number(s.Records))
	for _, total := range s.Totals {
		cells = append(cells, total.Money())
	}
	return cells
}

func (a *app) printKinds(r *doublesRun) {
	t := show.Table{Columns: r.columnsWithTotals(show.Column{Name: "kind", Key: true, Whole: true})}
	for i := range r.result.Kinds {
		row := &r.result.Kinds[i]
		t.Add(cellsOf(&row.Sum, string(row.Kind))...)
	}
	t.Print(a.stdout)
}

// shownPairs is how many pairs of entities are printed; --json has all.
const shownPairs = 20

func (a *app) printPairs(r *doublesRun) {
	fmt.Fprintln(a.stdout)
	t := show.Table{Columns: r.columnsWithTotals(show.Column{Name: "between", Key: true}, show.Column{Name: "and", Key: true})}
	for i := range r.result.Pairs[:min(len(r.result.Pairs), shownPairs)] {
		row := &r.result.Pairs[i]
		other := row.B
		if row.A == row.B {
			other = "itself"
		}
		t.Add(cellsOf(&row.Sum, row.A, other)...)
	}
	t.Print(a.stdout)
	if more := len(r.result.Pairs) - shownPairs; more > 0 {
		fmt.Fprintln(a.stdout, a.stdout.Faint(fmt.Sprintf("… %s more; --json lists them all", show.Count(more, "pair"))))
	}
}

// printProposal says what --keep leaves out, and what was written.
func (a *app) printProposal(r *doublesRun) {
	f, p := r.flags, &r.result.Proposed
	if f.keep != "" {
		text := fmt.Sprintf("--keep %s leaves out %s", f.keep, show.Count(p.Records, "record"))
		if p.Sources > 0 {
			text += fmt.Sprintf(", those of %s with them", show.Count(p.Sources, "whole file"))
		}
		if f.writing.out == "" {
			text += "; --out FILE writes what stays, --suspense FILE what does not"
		}
		fmt.Fprintf(a.stdout, "\n%s\n", text)
	}
	if r.kept == nil {
		return
	}
	fmt.Fprintln(a.stdout)
	if f.writing.out != "" {
		fmt.Fprintf(a.stdout, "%s: %s\n", f.writing.out, show.Count(r.kept.Records, "record"))
	}
	if f.writing.suspense != "" {
		fmt.Fprintf(a.stdout, "%s: %s\n", f.writing.suspense, show.Count(r.kept.Proof.Suspense+countLeft(&r.kept.Proof), "record"))
	}
}

// countLeft is how many records were left out.
func countLeft(p *proof.Proof) int {
	n := 0
	for _, l := range p.Left {
		n += l.Records
	}
	return n
}
