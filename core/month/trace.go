package month

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"lastblock/core/capability/rollup"
	"lastblock/core/capability/trace"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
	"lastblock/core/value/period"
	"lastblock/core/value/words"
)

// Tracing asks where a figure comes from.
type Tracing struct {
	Reading
	Writing
	Sum   string
	Top   int
	All   bool
	Block int

	AsSealed bool // the records are wanted as the block has sealed them
	Chosen   bool // the records of the figure are chosen by a condition that was typed
}

// shownTraced is how many records a trace shows that are not asked for.
const shownTraced = 20

// NewTracing is one with what is usual.
func NewTracing() *Tracing { return &Tracing{Reading: newReading(), Top: shownTraced} }

func (t *Tracing) Name() string { return "trace" }

func (t *Tracing) Sources() *Reading { return &t.Reading }

func (t *Tracing) Options() option.List {
	return option.List{
		{Word: "sum", Value: &t.Sum, Columns: option.DataColumns,
			Meaning: "the amount column (the first that the result sums)"},
		{Word: "named", Value: &t.Named, Meaning: "the result of the plan whose figure it is"},
		{Word: "top", Value: &t.Top, Least: 1, Meaning: "how many records to show, those of the largest amounts"},
		{Word: "all", Value: &t.All, Meaning: "show all records"},
		{Word: "block", Value: &t.Block, Meaning: "the figure as this block has sealed it (that of the latest period)"},
		t.out(), t.shield(), t.replace(),
	}
}

// Traced is where a figure comes from. The caller gives it back with Close.
type Traced struct {
	*trace.Result
	Words []block.Word
	Of    string      // the name of its result, or the command; "" for a figure of the sources
	Set   *source.Set // of the sources whose records were read, and of places

	Entry   *block.Entry // that has sealed it; nil for none
	Sealed  amount.Amount
	Known   bool // Sealed is known
	Sources []TracedSource
	Bridge  []BridgeLine // from the figure as it was sealed to what it is now
	Others  []string     // columns that the result sums as well

	// AsSealed says that the records are those that the block has sealed; Missing that they are not, although
	// these were asked for, since the block has not retained them.
	AsSealed, Missing bool

	retained *sealedRecords
}

// TracedSource is what a source gives to a figure.
type TracedSource struct {
	Source  string
	Records int
	Amount  amount.Amount // now
	Was     amount.Amount // as it was sealed
	Change  Change
}

// figureOfPlan is a figure that is traced: of a result of the plan.
type figureOfPlan struct {
	Asked
	by, sums []string
	across   string // the last of by, whose values stand across; "" for none
	chosen   bool   // a condition of its own has chosen the records
}

// SealedFigure is a figure as a block has sealed it.
type SealedFigure struct {
	chain *block.Chain
	entry *block.Entry
	first *block.Gave // of the first column that is asked for; nil where the block does not tell
}

// Sealed reads what a block says of a figure; it is nil where nothing was sealed. The error is an *option.Error, or
// that of reading blocks.
func (p *Plan) Sealed(t *Tracing, say []block.Word) (*SealedFigure, error) {
	chain, err := p.Chain()
	if err != nil {
		return nil, err
	}
	n := len(chain.Entries)
	switch {
	case t.Block < 0 || t.Block > n:
		return nil, option.Errorf("block", "there is no block %d; there are %d", t.Block, n)
	case n == 0:
		return nil, nil
	}
	s := &SealedFigure{chain: chain, entry: chain.Latest()}
	if t.Block > 0 {
		s.entry = &chain.Entries[t.Block-1]
	}
	f, err := p.figure(t, say)
	if err != nil {
		return nil, err
	}
	if groups, _, ok := f.split(say); ok && f.Asked != nil {
		s.first, err = chain.Gave(s.entry, block.Wish{Words: groups, Result: f.named(), Sum: f.columns(t)[0]})
	}
	return s, err
}

// Trace finds the records of a figure: those that say the words, of a result of the plan, or of the sources where
// there is none. Where a block says which sources gave something, only these are read, and what has changed since;
// sealed is nil where none does, and seen knows files that were hashed before. The error is an *option.Error, or
// what reading returned.
func (p *Plan) Trace(ctx context.Context, in *Input, t *Tracing, say []block.Word, sealed *SealedFigure,
	seen *Seen) (*Traced, error) {
	f, err := p.figure(t, say)
	if err != nil {
		return nil, err
	}
	sums := f.columns(t)
	if sums[0] == "" {
		return nil, option.Errorf("sum", "which column? Name the amount column of the figure")
	}
	tracer := &tracer{in: in, task: t, figure: f, SealedFigure: sealed}
	if sealed != nil {
		if tracer.compared, err = Compare(ctx, p, in, sealed.chain, sealed.entry, seen); err != nil {
			return nil, err
		}
		tracer.sealed = make(map[string]*block.Source)
		for i := range tracer.compared.sealed {
			tracer.sealed[tracer.compared.sealed[i].Source] = &tracer.compared.sealed[i]
		}
	}
	for _, sum := range sums {
		if tracer.Traced != nil {
			if err := tracer.Close(); err != nil {
				return nil, err
			}
		}
		if err := tracer.trace(ctx, say, sum); err != nil {
			return nil, err
		}
		if tracer.Amount.Sign() != 0 || tracer.Sealed.Sign() != 0 {
			break
		}
	}
	return tracer.Traced, nil
}

// TraceSources finds records among sources without a plan.
func TraceSources(ctx context.Context, in *Input, t *Tracing, say []block.Word) (*Traced, error) {
	if t.Sum == "" {
		return nil, option.Errorf("sum", "which column? Name the amount column of the figure")
	}
	tracer := &tracer{in: in, task: t, figure: &figureOfPlan{}}
	if err := tracer.trace(ctx, say, t.Sum); err != nil {
		return nil, err
	}
	return tracer.Traced, nil
}

// figure finds the result that is meant: the one that is named, else of those that sum up what is asked for the one
// that has the words among its groups, those that are said first before others.
func (p *Plan) figure(t *Tracing, say []block.Word) (*figureOfPlan, error) {
	all, err := p.figures()
	if err != nil {
		return nil, err
	}
	if len(t.Named) > 1 {
		return nil, option.Errorf("named", "one result has the figure")
	}
	var names []string
	for i := range all {
		names = append(names, cmp.Or(all[i].Name(), all[i].Command()))
	}
	if len(t.Named) == 1 {
		at := slices.Index(names, t.Named[0])
		if at < 0 {
			return nil, option.Errorf("named", "%w", nearest.Unknown("result", t.Named[0], names))
		}
		return &all[at], nil
	}
	best, most := &figureOfPlan{}, -1
	for i := range all {
		f := &all[i]
		if t.Sum == "" && len(f.sums) > 0 || slices.Contains(f.sums, t.Sum) {
			if has := f.has(say); has > most {
				best, most = f, has
			}
		}
	}
	return best, nil
}

// has weighs how many of the words are groups of the result: the ones that are said first count more.
func (f *figureOfPlan) has(say []block.Word) (weight int) {
	for _, w := range say {
		weight *= 2
		if slices.Contains(f.by, w.Column) {
			weight++
		}
	}
	return weight
}

// figures are the results of the plan that sum something up, summaries first.
func (p *Plan) figures() (all []figureOfPlan, err error) {
	if typed := NewRollup(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewRollup)
		if err != nil {
			return nil, err
		}
		for _, r := range results {
			o, _, err := r.Task.Request.Read()
			if err != nil {
				return nil, r.Err(err)
			}
			f := figureOfPlan{Asked: r, by: slices.Clone(o.By), sums: o.Sum, chosen: chooses(r.Narrow)}
			if o.Across != "" {
				f.by, f.across = append(f.by, o.Across), o.Across
			}
			all = append(all, f)
		}
	}
	collated, err := figuresOfRecords(p, NewCollate, func(t *Collate) []string { return t.Totals })
	if err != nil {
		return nil, err
	}
	attached, err := figuresOfRecords(p, NewAttach, func(t *Attach) []string { return t.Totals })
	return slices.Concat(all, collated, attached), err
}

// figuresOfRecords are results of records that have totals.
func figuresOfRecords[T Maker](p *Plan, make func() T, totals func(T) []string) (all []figureOfPlan, err error) {
	typed := make()
	if !p.Has(typed.Name()) {
		return nil, nil
	}
	results, _, err := Results(p, typed, AllOptions(typed), make)
	for _, r := range results {
		all = append(all, figureOfPlan{Asked: r, sums: totals(r.Task), chosen: chooses(r.Narrow)})
	}
	return all, err
}

func chooses(narrow *shape.Request) bool { return narrow != nil && narrow.Where != nil }

// tracer traces a figure.
type tracer struct {
	*Traced
	in     *Input
	task   *Tracing
	figure *figureOfPlan
	sum    string

	*SealedFigure                          // nil without a block
	compared      *Comparison              // nil without a block
	sealed        map[string]*block.Source // of the block, by name
	gave          *block.Gave              // nil where the block does not tell
	some          []int                    // sources that are read; nil for all
	place         map[string]int           // of a source, among Sources
}

// trace traces the figure of a column.
func (t *tracer) trace(ctx context.Context, say []block.Word, sum string) error {
	t.Traced, t.sum, t.gave, t.some = &Traced{Words: say}, sum, nil, nil
	if t.figure.Asked != nil {
		t.Of = t.figure.named()
		t.Others = slices.DeleteFunc(slices.Clone(t.figure.sums), func(name string) bool { return name == sum })
	}
	if t.compared != nil {
		if err := t.ask(); err != nil {
			return err
		}
	}
	if err := t.read(ctx); err != nil {
		return err
	}
	if found := t.Traced.Result; t.gave != nil && t.gave.Nothing != nil && found.Records+found.Suspense.Records+
		found.Dropped.Records+found.Left.Records == 0 {
		return errors.Join(t.gave.Nothing, t.Close())
	}
	t.bridge()
	if !t.task.AsSealed || len(t.Bridge) == 0 || t.gave == nil {
		return nil
	}
	var err error
	t.AsSealed, err = t.takeRetained()
	t.Missing = !t.AsSealed
	return err
}

// named is what the result is called.
func (f *figureOfPlan) named() string { return cmp.Or(f.Name(), f.Command()) }

// columns are those that are traced, one after another, until one is not zero: the one that is asked for, or all, and
// the first once more, for where all of them are.
func (f *figureOfPlan) columns(t *Tracing) []string {
	if t.Sum != "" || len(f.sums) == 0 {
		return []string{t.Sum}
	}
	if len(f.sums) == 1 {
		return f.sums
	}
	return append(slices.Clone(f.sums), f.sums[0])
}

// split parts the words into those of groups of the result, and words of the names of files.
func (f *figureOfPlan) split(say []block.Word) (groups, names []block.Word, ok bool) {
	for _, w := range say {
		switch {
		case slices.Contains(f.by, w.Column):
			groups = append(groups, w)
		case w.Column == tally.EntityWord || w.Column == tally.PeriodWord:
			names = append(names, w)
		default:
			return nil, nil, false
		}
	}
	return groups, names, len(f.by) > 0
}

// ask asks the block for the figure, and which sources have to be read for it.
func (t *tracer) ask() error {
	groups, names, ok := t.figure.split(t.Words)
	if !ok {
		return t.needSealed("%s has no groups by %s", cmp.Or(t.Of, "the plan"), t.columns())
	}
	gave := t.first
	if gave == nil || gave.Column != t.sum {
		var err error
		if gave, err = t.chain.Gave(t.entry, block.Wish{Words: groups, Result: t.Of, Sum: t.sum}); err != nil {
			return err
		}
	}
	if gave == nil {
		return t.needSealed("block %d has no result %s by %s that sums up %s", t.entry.Number, t.Of, t.columns(), t.sum)
	}
	t.first = nil // since it is narrowed now
	t.gave, t.Entry, t.Sealed, t.Known = gave, t.entry, gave.Amount, true
	if len(names) > 0 {
		t.onlyOf(names)
	}
	others := t.compared.Plan || t.compared.References || t.compared.Decisions
	if others && t.task.Block == 0 {
		return nil // so that each source may give something else
	}
	if t.some = t.toRead(others); len(t.some) == 0 {
		t.some = []int{0} // for the columns
	}
	return nil
}

// onlyOf narrows what the block tells to the sources whose names say the words.
func (t *tracer) onlyOf(names []block.Word) {
	says := func(source string) bool {
		s := t.sealed[source]
		for _, w := range names {
			if s == nil || w.Column == tally.EntityWord && s.Entity != w.Value ||
				w.Column == tally.PeriodWord && s.Period != w.Value {
				return false
			}
		}
		return true
	}
	var sealed amount.Sum
	for source, gave := range t.gave.By {
		if says(source) {
			sealed.Add(gave)
		} else {
			delete(t.gave.By, source)
		}
	}
	for _, set := range []map[string]bool{t.gave.Unknown, t.gave.Short} {
		maps.DeleteFunc(set, func(source string, _ bool) bool { return !says(source) })
	}
	t.Sealed, t.Known = sealed.Amount(), len(t.gave.Unknown) == 0
}

func (t *tracer) columns() string {
	var names []string
	for _, w := range t.Words {
		names = append(names, w.Column)
	}
	return words.And(names...)
}

// needSealed is an error where a figure is asked for as it was sealed.
func (t *tracer) needSealed(format string, args ...any) error {
	if t.task.Block == 0 {
		return nil
	}
	return option.Errorf("block", format, args...)
}

// toRead are the sources that gave something to the figure or may have, and those that are not as they were; with
// all, the others as well. Of a figure as a block has sealed it those of later periods do not count.
func (t *tracer) toRead(all bool) (indices []int) {
	change := make(map[string]*SourceChange)
	for i := range t.compared.Sources {
		change[t.compared.Sources[i].Source] = &t.compared.Sources[i]
	}
	for i := range t.in.Set.Sources {
		name := t.in.Set.Sources[i].Name
		if c := change[name]; c != nil {
			if c.Change == Changed || c.Change == New && (t.task.Block == 0 || !t.isLater(c)) {
				indices = append(indices, i)
			}
			if c.Change != Moved {
				continue
			}
			name = c.Was
		}
		_, gave := t.gave.By[name]
		if all || gave || t.gave.Unknown[name] || t.gave.Short[name] {
			indices = append(indices, i)
		}
	}
	return indices
}

// isLater tells whether a source is of a later period than the block.
func (t *tracer) isLater(c *SourceChange) bool {
	of, known := period.Parse(c.Period)
	closed, ok := period.Parse(t.entry.Period)
	return known && ok && of.Last() > closed.Last()
}

// read reads the records.
func (t *tracer) read(ctx context.Context) error {
	if t.some != nil {
		err := t.readSources(ctx, t.in.Set.Subset(t.some))
		if err == nil || ctx.Err() != nil || t.task.Block > 0 {
			return err
		}
		t.some = nil // they may lack a column that others have
	}
	return t.readSources(ctx, t.in.Set.Subset(everything(len(t.in.Set.Sources))))
}

func (t *tracer) readSources(ctx context.Context, set *source.Set) (err error) {
	in := *t.in
	in.Set = set
	if err := set.Look(ctx, in.Reading); err != nil {
		return err
	}
	run := &Run{Input: &in}
	var part *Part
	if t.figure.Asked == nil {
		part = run.Join(in.Whole())
	} else if part, err = t.figure.Part(ctx, run); err != nil {
		return err
	}
	o := trace.Options{Sum: t.sum, With: t.Others, Most: t.task.Top, Chosen: t.figure.chosen || t.task.Chosen}
	if t.task.All || t.task.Out != "" {
		o.Most = 0
	}
	for _, w := range t.Words {
		o.Words = append(o.Words, trace.Word(w))
	}
	if o.Drop, err = part.Left(); err != nil {
		return err
	}
	job, err := trace.Prepare(ctx, part.Set, part.Reading, o)
	if err != nil {
		return err
	}
	part.Join(job)
	check, err := t.check(ctx, run)
	if err != nil {
		return err
	}
	if err := run.Read(ctx); err != nil {
		return errors.Join(err, job.Close(), check.close())
	}
	if t.Traced.Result, err = job.Finish(); err != nil {
		return errors.Join(err, check.close())
	}
	t.Set = set
	return check.finish(t.Traced.Result)
}

// figureCheck makes the figure once more, as a summary does.
type figureCheck struct {
	job    *rollup.Job // nil where nothing is checked
	words  []block.Word
	by     []string
	result string
}

// check has the figure made once more in the same reading, where all is read.
func (t *tracer) check(ctx context.Context, run *Run) (*figureCheck, error) {
	c := &figureCheck{words: t.Words, by: t.figure.by, result: t.Of}
	isGroup := func(w block.Word) bool { return slices.Contains(t.figure.by, w.Column) }
	if t.some != nil || len(t.figure.by) == 0 || !slices.Contains(t.figure.sums, t.sum) ||
		slices.ContainsFunc(t.Words, func(w block.Word) bool { return !isGroup(w) }) {
		return c, nil
	}
	part, err := t.figure.Part(ctx, run)
	if err != nil {
		return nil, err
	}
	o := rollup.Options{By: t.figure.by, Sum: append([]string{t.sum}, t.Others...)}
	if o.Drop, err = part.Left(); err != nil {
		return nil, err
	}
	if c.job, err = rollup.Prepare(ctx, part.Set, part.Reading, o); err != nil {
		return nil, err
	}
	part.Join(c.job)
	return c, nil
}

func (c *figureCheck) close() error {
	if c.job == nil {
		return nil
	}
	return c.job.Close()
}

// finish wants the records that were found to come to the figure.
func (c *figureCheck) finish(found *trace.Result) error {
	if c.job == nil {
		return nil
	}
	result, err := c.job.Finish()
	if err != nil {
		return err
	}
	var sum amount.Sum
	records := 0
	err = result.EachGroup(func(row rollup.Row) error {
		for _, w := range c.words {
			if row.Key[slices.Index(c.by, w.Column)] != w.Value {
				return nil
			}
		}
		sum.Add(row.Sums[0])
		records += row.Records
		return nil
	})
	if err = errors.Join(err, result.Close()); err != nil {
		return err
	}
	if made := sum.Amount(); made.Cmp(found.Amount) != 0 || records != found.Records {
		return fmt.Errorf("internal error: %s has %d records of %s there, and %d of %s were found", c.result, records,
			made, found.Records, found.Amount)
	}
	return nil
}

// bridge tells what each source gives and gave, and leads from the figure as it was sealed to what it is now.
func (t *tracer) bridge() {
	t.place = make(map[string]int)
	for i := range t.Set.Sources {
		if given := &t.Traced.Result.Sources[i]; given.Records > 0 {
			s := t.source(t.Set.Sources[i].Name)
			s.Records, s.Amount = given.Records, given.Amount
		}
	}
	if t.Known {
		t.takeSealed()
	}
	slices.SortFunc(t.Sources, func(a, b TracedSource) int {
		return cmp.Or(b.Amount.Abs().Cmp(a.Amount.Abs()), b.Was.Abs().Cmp(a.Was.Abs()), cmp.Compare(a.Source, b.Source))
	})
}

// source is a source that gives something or gave something.
func (t *tracer) source(name string) *TracedSource {
	at, known := t.place[name]
	if !known {
		at = len(t.Sources)
		t.place[name], t.Sources = at, append(t.Sources, TracedSource{Source: name, Change: Same})
	}
	return &t.Sources[at]
}

func (t *tracer) takeSealed() {
	moved := make(map[string]string) // what a source is called now
	for i := range t.compared.Sources {
		if c := &t.compared.Sources[i]; c.Change == Moved {
			moved[c.Was] = c.Source
		}
	}
	for name, was := range t.gave.By {
		t.source(cmp.Or(moved[name], name)).Was = was
	}
	now := t.Traced.Result.Amount
	if now.Cmp(t.Sealed) == 0 {
		return
	}
	t.Bridge = append(t.Bridge, BridgeLine{Label: LineSealed, Amount: t.Sealed})
	rest := now.Sub(t.Sealed)
	for i := range t.compared.Sources {
		c := &t.compared.Sources[i]
		if _, gives := t.place[c.Source]; !gives { // as one of a later period, too
			continue
		}
		s := t.source(c.Source)
		s.Change = c.Change
		change := s.Amount.Sub(s.Was)
		if c.Change == Moved || change.Sign() == 0 || t.gave.Unknown[cmp.Or(c.Was, c.Source)] {
			continue
		}
		t.Bridge = append(t.Bridge, BridgeLine{Label: string(c.Change), Source: c.Source, Amount: change})
		rest = rest.Sub(change)
	}
	if rest.Sign() != 0 {
		t.Bridge = append(t.Bridge, BridgeLine{Label: t.compared.beside(true), Amount: rest})
	}
	t.Bridge = append(t.Bridge, BridgeLine{Label: LineNow, Amount: now})
}

// ParseTraced takes what stands on the command line apart: paths, and words as COLUMN=VALUE. A path that is there
// is one, whatever it is called.
func ParseTraced(args []string, isThere func(path string) bool) (paths []string, say []block.Word, err error) {
	var texts []string
	for _, arg := range args {
		if strings.Contains(arg, "=") && !isThere(arg) {
			texts = append(texts, arg)
		} else {
			paths = append(paths, arg)
		}
	}
	say, err = block.ParseWords(texts)
	return paths, say, err
}
