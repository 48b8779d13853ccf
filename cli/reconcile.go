package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/show"

	"github.com/spf13/cobra"
)

const againstFlag = "against"

type reconcileFlags struct {
	reading   reading
	writing   writing
	against   []string
	reference other

	key           []string
	keyThere      []string
	thenKey       []string
	loose         []string
	compare       []string
	tolerance     []string
	days          []string
	sum           []string
	combine       int
	combineWithin []string
	totals        []string
	by            []string
	weight        []string
	only          []reconcile.Status // of --only; nil for all
	corrected     string
	prefer        string
	bare          bool
	findings      string

	mirror   string
	rates    string
	renamed  []string // columns of the rates
	currency string
	dated    string
}

func (a *app) reconcile() *cobra.Command {
	f := new(reconcileFlags)
	cmd := &cobra.Command{
		Use:   "reconcile [RECORDS…] --against REFERENCE",
		Short: "What agrees, what does not, and which are the reconciling items?",
		Long: `Brings records together with those of a reference by key, and says of each whether
it agrees, differs, or is on one side only; a key that is found more than
once and does not pair off is ambiguous. Values are compared by what they mean, as
prove does. With --total a statement leads from the total per records to the total per reference.
--out writes all records with both sides next to each other; what differs does not
keep it from being written, since that is what it is about.

What the first --key leaves is tried with each --then-key, in which columns may
differ by their --tolerance and --days, and then by --combine: several records on
one side that together make one on the other.

--mirror reconciles records with one another: what each company has booked about
each other one, with the opposite sign, added up by --key.`,
		Example: `  lastblock reconcile --plan lastblock-demo/passes/lastblock.toml
  lastblock reconcile lastblock-demo/passes/sales --against lastblock-demo/passes/statement.csv --against-rename Pass=pass_no,Amount=amount --key pass_no --loose zeros --total amount --compare amount
  lastblock reconcile --plan lastblock-demo/passes/lastblock.toml --out lastblock-demo/results/passes.xlsx --corrected lastblock-demo/results/corrected.csv --prefer there --replace
  lastblock reconcile --plan lastblock-demo/balances/lastblock.toml`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runReconcile(cmd.Context(), f, paths) },
	}
	flags := cmd.Flags()
	flags.StringArrayVar(&f.against, againstFlag, nil, "the reference: files, folders, patterns, or a database as postgres://user@host/name with --query")
	isFile(cmd, againstFlag)
	flags.StringSliceVar(&f.key, "key", nil, "columns that say which records belong together")
	flags.StringSliceVar(&f.keyThere, againstPrefix+"key", nil, "what the columns of --key are called in the reference, in their order")
	flags.StringArrayVar(&f.thenKey, "then-key", nil, "another key for what is left then, e.g. 'amount,posted'; may be given several times")
	flags.StringArrayVar(&f.loose, "loose", nil, "what makes no difference in keys: blanks, case, zeros (in front), punctuation; of one column as 'document=zeros,case'")
	flags.StringSliceVar(&f.compare, "compare", nil, "columns to compare (all that both sides have)")
	flags.StringSliceVar(&f.tolerance, "tolerance", nil, "by how much amounts may differ, e.g. 'amount=0.05' or 'amount=0.1%' of the larger one")
	flags.StringSliceVar(&f.days, "days", nil, "by how many days dates may differ, e.g. 'posted=2'")
	flags.StringSliceVar(&f.sum, "sum", nil, "amount columns to add up by key on each side first")
	flags.IntVar(&f.combine, "combine", 0, "among what is left, look for up to so many records on one side that together make one on the other")
	flags.StringSliceVar(&f.combineWithin, "combine-within", nil, "only among records that have these columns in common")
	flags.StringSliceVar(&f.totals, "total", nil, "amount columns whose totals the statement leads from one side to the other")
	flags.StringSliceVar(&f.by, "by", nil, "columns, or words of --name, by which there are more statements")
	flags.StringSliceVar(&f.weight, "weight", nil, "the weight of a kind of finding, e.g. 'only-there=review'")
	flags.StringVar(&f.corrected, "corrected", "", "write the set that has the values of the side of --prefer, and what only the other one has")
	isFile(cmd, "corrected")
	flags.StringVar(&f.prefer, "prefer", "", "whose values --corrected has: here or there")
	flags.BoolVar(&f.bare, "bare", false, "in the file of --corrected, leave out source and source_line")
	flags.StringVar(&f.findings, "findings", "", "write every finding to a file, in the format of its ending as with --out")
	isFile(cmd, "findings")
	flags.StringVar(&f.mirror, "mirror", "", "reconcile companies with one another, e.g. 'entity=counterparty'")
	flags.StringVar(&f.rates, "rates", "", "with --mirror, exchange rates: a file with the columns currency, rate, and date or month")
	isFile(cmd, "rates")
	flags.StringSliceVar(&f.renamed, "rates-rename", nil, "give columns of the exchange rates the names that are read, e.g. 'Kurs=rate'")
	flags.StringVar(&f.currency, "currency", "currency", "with --rates, the column of the currency")
	flags.StringVar(&f.dated, "dated", "period", "with --rates, the column of the day or month whose rate holds")
	f.writing.addOut(cmd)
	flags.BoolVar(&f.writing.replace, "replace", false, "overwrite existing files")
	f.reading.addTo(a, cmd)
	flags.Lookup("only").Usage += "; statuses, as differs,only-there, say instead which records --out has"
	f.reference.addTo(cmd, againstPrefix)
	f.reading.completeColumns(cmd, true, "key", "compare", "sum", "combine-within", "total", "by")
	return cmd
}

// options are what the flags say.
func (f *reconcileFlags) options() (o reconcile.Options, err error) {
	for flag, columns := range map[string][]string{
		"key": f.key, "compare": f.compare, "sum": f.sum, "combine-within": f.combineWithin, "total": f.totals, "by": f.by,
	} {
		if err := noneTwice(flag, columns); err != nil {
			return o, err
		}
	}
	o = reconcile.Options{
		Compare: f.compare, Sum: f.sum, Combine: f.combine, CombineWithin: f.combineWithin, Totals: f.totals, By: f.by,
		Weights: make(map[finding.Kind]finding.Weight), Rows: f.writing.out != "" || f.corrected != "",
	}
	if len(f.key) > 0 {
		o.Keys = append(o.Keys, f.key)
	}
	for _, text := range f.thenKey {
		names := strings.Split(text, ",")
		if err := noneTwice("then-key", names); err != nil {
			return o, err
		}
		o.Keys = append(o.Keys, names)
	}
	for _, text := range f.loose {
		column, words, named := strings.Cut(text, "=")
		if !named {
			column, words = "", text
		}
		l := reconcile.Loose{Column: strings.TrimSpace(column)}
		if l.Loose, err = equality.ParseLoose(splitList(words)); err != nil {
			return o, fmt.Errorf("--loose %w", err)
		}
		o.Loose = append(o.Loose, l)
	}
	for _, text := range f.tolerance {
		t, err := parseTolerance(text)
		if err != nil {
			return o, err
		}
		o.Tolerances = append(o.Tolerances, t)
	}
	for _, text := range f.days {
		column, number, _ := strings.Cut(text, "=")
		n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimSpace(number), "d"))
		if err != nil || n < 0 || column == "" {
			return o, fmt.Errorf("--days %q is not of the form 'posted=2'", text)
		}
		o.Days = append(o.Days, reconcile.Days{Column: strings.TrimSpace(column), Most: n})
	}
	f.takeStatuses()
	for _, text := range f.weight {
		kind, weight, _ := strings.Cut(text, "=")
		w := finding.Weight(weight)
		if !slices.Contains(finding.Kinds(), finding.Kind(kind)) || !slices.Contains([]finding.Weight{finding.Stop, finding.Review, finding.Note}, w) {
			return o, fmt.Errorf("--weight %q is not of the form 'only-there=review': a kind of finding, and stop, review or note", text)
		}
		o.Weights[finding.Kind(kind)] = w
	}
	return o, f.check()
}

// takeStatuses takes the words of --only that are statuses and not patterns of files.
func (f *reconcileFlags) takeStatuses() {
	var patterns []string
	for _, word := range f.reading.only {
		if status, err := reconcile.ParseStatus(word); err == nil {
			f.only = append(f.only, status)
		} else {
			patterns = append(patterns, word)
		}
	}
	f.reading.only = patterns
}

func splitList(text string) []string {
	var list []string
	for _, word := range strings.Split(text, ",") {
		list = append(list, strings.TrimSpace(word))
	}
	return list
}

func parseTolerance(text string) (t reconcile.Tolerance, err error) {
	column, size, _ := strings.Cut(text, "=")
	size, t.Percent = strings.CutSuffix(strings.TrimSpace(size), "%")
	t.Column = strings.TrimSpace(column)
	if t.Within, err = amount.Parse([]byte(strings.TrimSpace(size)), '.'); err != nil || t.Within.Sign() < 0 || t.Column == "" {
		return t, fmt.Errorf("--tolerance %q is not of the form 'amount=0.05' or 'amount=0.1%%'", text)
	}
	return t, nil
}

// check finds flags that do not go together.
func (f *reconcileFlags) check() error {
	switch {
	case f.mirror == "" && len(f.against) == 0:
		return errors.New("--against: what is it to be reconciled with? Name the reference behind --against")
	case f.mirror != "" && len(f.against) > 0:
		return errors.New("--mirror reconciles the records with one another, and does not go together with --against")
	case f.mirror == "" && f.rates != "":
		return errors.New("--rates goes together with --mirror; elsewhere --make computes a converted amount")
	case f.mirror == "" && len(f.key) == 0:
		return errors.New("--key: name the columns that say which records belong together")
	case f.mirror != "" && len(f.by) > 0:
		return errors.New("--by: with --mirror there is a statement for each two companies already")
	case len(f.keyThere) > 0 && len(f.keyThere) != len(f.key):
		return fmt.Errorf("--against-key names %s and --key %d; each is the name of one of them in the reference", show.Count(len(f.keyThere), "column"), len(f.key))
	case f.combine < 0 || f.combine == 1:
		return fmt.Errorf("--combine %d: at least 2 records are needed to be put together", f.combine)
	case f.combine == 0 && len(f.combineWithin) > 0:
		return errors.New("--combine-within goes together with --combine")
	case f.corrected != "" && f.prefer == "":
		return errors.New("--corrected: whose values is it to have? Say --prefer here or --prefer there")
	case f.prefer != "" && f.prefer != "here" && f.prefer != "there":
		return fmt.Errorf("--prefer %q: it is here or there", f.prefer)
	case f.prefer != "" && f.corrected == "":
		return errors.New("--prefer goes together with --corrected")
	case f.corrected != "" && (f.mirror != "" || len(f.sum) > 0):
		return errors.New("--corrected: records that were added up or mirrored make no corrected set")
	case len(f.only) > 0 && f.writing.out == "":
		return errors.New("--only: which records are written goes together with --out")
	}
	return nil
}

// reconciled is a reconciliation that was made.
type reconciled struct {
	*reconcile.Result
	flags       *reconcileFlags
	here, there *input
	stopped     bool // the result was not written, because of findings
}

func (a *app) runReconcile(ctx context.Context, f *reconcileFlags, paths []string) error {
	options, err := f.options()
	if err != nil {
		return err
	}
	r := &reconciled{flags: f}
	if err := r.open(ctx, paths, &options); err != nil {
		return err
	}
	outputs, err := a.prepareReconciled(r, &options)
	if err != nil {
		return err
	}
	files, bytes := len(r.here.set.Sources), r.here.set.Bytes()
	if r.there != r.here {
		files, bytes = files+len(r.there.set.Sources), bytes+r.there.set.Bytes()
	}
	stop := func() {}
	if !f.reading.quiet {
		stop = show.Progress(a.stderr, a.begun, r.here.reading.Progress, files, bytes)
	}
	err = r.match(ctx, outputs, options)
	stop()
	if err != nil {
		return err
	}
	defer r.Close()
	r.here.settle(r.Findings)
	if err := a.writeReconciled(ctx, r, outputs); err != nil {
		return err
	}
	if f.reading.json {
		err = show.Document(a.stdout, r.document())
	} else {
		a.printReconciled(r)
	}
	if err == nil && finding.Stops(r.Findings) {
		return errStop
	}
	return err
}

// match reads both sides, and brings their records together.
func (r *reconciled) match(ctx context.Context, o *reconciledOutputs, options reconcile.Options) error {
	f := r.flags
	sides, err := reconcile.Read(ctx, r.here.set, r.there.set, r.here.reading, options)
	if err != nil {
		return err
	}
	writing := reconcile.Writing{Only: f.only, PreferThere: f.prefer == "there", Bare: f.bare}
	if o.out != nil {
		o.outFormat.shield, o.outFormat.columns = f.writing.shield, cellsOfColumns(sides.Columns())
		writing.Encode = o.outFormat.encoder()
	}
	if o.corrected != nil {
		o.correctedFormat.shield, o.correctedFormat.columns = f.writing.shield, cellsOfColumns(sides.CorrectedColumns(f.bare))
		writing.Corrected = o.correctedFormat.encoder()
	}
	r.Result, err = sides.Match(ctx, writing)
	return err
}

// open finds the sources of both sides.
func (r *reconciled) open(ctx context.Context, paths []string, options *reconcile.Options) (err error) {
	f := r.flags
	if len(f.against) > 0 && f.reference.manner.query == "" && !slices.ContainsFunc(paths, source.IsQuery) && slices.ContainsFunc(f.against, source.IsQuery) {
		f.reference.manner.query, f.reading.manner.query = f.reading.manner.query, "" // there is only one that it can be for
	}
	if r.here, err = f.reading.openSources(ctx, paths); err != nil {
		return err
	}
	r.there = r.here
	if options.Drop[0], err = r.here.left(); err != nil {
		return err
	}
	if f.mirror == "" {
		f.renameKeys()
		r.there, err = f.reference.open(ctx, &f.reading, r.here, f.against)
		return err
	}
	entity, counterparty, ok := strings.Cut(f.mirror, "=")
	if !ok || entity == "" || counterparty == "" {
		return fmt.Errorf("--mirror %q is not of the form 'entity=counterparty'", f.mirror)
	}
	options.Mirror = &reconcile.Mirror{Entity: entity, Counterparty: counterparty, Currency: f.currency, Date: f.dated}
	if f.rates == "" {
		return nil
	}
	f.reading.app.isReading(nil, f.rates)
	table, err := source.ReadTable(ctx, f.rates, r.here.reading, 0)
	if err != nil {
		return fmt.Errorf("--rates: %w", err)
	}
	if err := rename(table, "rates-rename", f.renamed); err != nil {
		return err
	}
	options.Mirror.Rates, err = reconcile.NewRates(f.rates, table.Layout, table.Rows, table.Lines, table.Decimal)
	if err != nil {
		return fmt.Errorf("--rates: %w", err)
	}
	r.here.leaveOut("the exchange rates", f.rates)
	return nil
}

// renameKeys has the columns of the reference's key called as those here.
func (f *reconcileFlags) renameKeys() {
	for i, there := range f.keyThere {
		if there != f.key[i] {
			f.reference.manner.rename = append(f.reference.manner.rename, there+"="+f.key[i])
		}
	}
}

// reconciledOutputs are the files that are written.
type reconciledOutputs struct {
	out, corrected, findings                   *show.Output // nil for those that are not asked for
	outFormat, correctedFormat, findingsFormat recordFormat
}

// prepareReconciled starts the files to be written.
func (a *app) prepareReconciled(r *reconciled, options *reconcile.Options) (*reconciledOutputs, error) {
	o := new(reconciledOutputs)
	f := r.flags
	for _, file := range []struct {
		flag, path string
		output     **show.Output
		format     *recordFormat
	}{
		{"out", f.writing.out, &o.out, &o.outFormat},
		{"corrected", f.corrected, &o.corrected, &o.correctedFormat},
		{"findings", f.findings, &o.findings, &o.findingsFormat},
	} {
		if file.path == "" {
			continue
		}
		var err error
		if file.format.format, file.format.packed, err = show.FormatOf(file.flag, file.path); err != nil {
			return nil, err
		}
		if *file.output, err = a.create(r.here, &f.writing, file.path); err != nil {
			return nil, err
		}
		options.Kinds = options.Kinds || file.flag != "findings" && file.format.format.IsTyped()
	}
	return o, nil
}

// stops tells whether a finding keeps results from being written: one that is not
// about how the two sides stand to one another.
func (r *reconciled) stops() bool {
	return finding.Stops(slices.DeleteFunc(slices.Clone(r.Findings), func(f finding.Finding) bool {
		return slices.Contains(finding.Reconciling, f.Kind)
	}))
}

// writeReconciled writes the files that are asked for.
func (a *app) writeReconciled(ctx context.Context, r *reconciled, o *reconciledOutputs) error {
	if o.findings != nil {
		each := func(visit func(*finding.Finding) error) error {
			for i := range r.Findings {
				if err := visit(&r.Findings[i]); err != nil {
					return err
				}
			}
			return nil
		}
		if err := show.WriteFindings(o.findings, o.findingsFormat.format, o.findingsFormat.packed, r.flags.writing.shield, each); err != nil {
			return err
		}
	}
	r.stopped = (o.out != nil || o.corrected != nil) && r.stops() && !r.flags.writing.anyway
	if r.stopped {
		return a.outputs.Commit(o.findings)
	}
	if o.out != nil {
		if o.outFormat.format == show.Workbook {
			r.useSheets(&o.outFormat)
		}
		if err := o.outFormat.write(o.out, func(w io.Writer) error { return r.Write(ctx, w) }); err != nil {
			return err
		}
	}
	if o.corrected != nil {
		if err := o.correctedFormat.write(o.corrected, func(w io.Writer) error { return r.WriteCorrected(ctx, w) }); err != nil {
			return err
		}
	}
	return a.outputs.Commit(o.findings, o.out, o.corrected)
}

func cellsOfColumns(columns []reconcile.Column) []show.Cells {
	var cells []show.Cells
	for _, c := range columns {
		cells = append(cells, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale})
	}
	return cells
}

// useSheets makes a workbook of a sheet with the statement, and one for each status.
func (r *reconciled) useSheets(format *recordFormat) {
	only := r.flags.only
	statement := []show.Cells{{Name: "statement", Kind: record.Text}}
	for _, name := range r.flags.by {
		statement = append(statement, show.Cells{Name: name, Kind: record.Text})
	}
	statement = append(statement, show.Cells{Name: "records", Kind: record.Amount})
	for i, name := range r.Totals {
		scale := 0
		for k := range r.Statement.Lines {
			scale = max(scale, r.Statement.Lines[k].Amounts[i].Scale())
		}
		statement = append(statement, show.Cells{Name: name, Kind: record.Amount, Scale: scale})
	}
	format.sheets = []show.Sheet{{Name: "Statement", Columns: statement}}
	at := make(map[string]int)
	for _, status := range []reconcile.Status{reconcile.Differs, reconcile.OnlyHere, reconcile.OnlyThere, reconcile.Ambiguous, reconcile.Agrees} {
		if only == nil || slices.Contains(only, status) {
			at[status.String()] = len(format.sheets)
			format.sheets = append(format.sheets, show.Sheet{Name: status.String(), Columns: format.columns})
		}
	}
	format.sheetOf = func(texts [][]byte) int { return at[string(texts[0])] }
	format.first = func(w *show.SheetWriter) error {
		for _, s := range append([]reconcile.Statement{r.Statement}, r.Groups...) {
			for _, line := range s.Lines {
				if err := w.Write(0, statementTexts(r, &s, &line), statementKinds(r)); err != nil {
					return err
				}
			}
		}
		return nil
	}
}

func statementTexts(r *reconciled, s *reconcile.Statement, line *reconcile.Line) [][]byte {
	texts := [][]byte{[]byte(line.Label)}
	for i := range r.flags.by {
		group := ""
		if s.By != nil {
			group = s.By[i]
		}
		texts = append(texts, []byte(group))
	}
	texts = append(texts, []byte(strconv.Itoa(line.Count)))
	for _, value := range line.Amounts {
		texts = append(texts, []byte(value.String()))
	}
	return texts
}

func statementKinds(r *reconciled) []record.Kind {
	kinds := slices.Repeat([]record.Kind{record.Text}, 1+len(r.flags.by))
	return append(kinds, slices.Repeat([]record.Kind{record.Amount}, 1+len(r.Totals))...)
}
