package month

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/capability/trace"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/amount"
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

	Now amount.Amount // what the figure is now, where the records are those that were sealed
}

// TracedSource is what a source gives to a figure.
type TracedSource struct {
	Source  string
	Records int
	Amount  amount.Amount // now
	Was     amount.Amount // as it was sealed
	Change  Change
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
	say = t.in.spelt(say)
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
	t.Now = t.Traced.Result.Amount
	if !t.task.AsSealed || t.gave == nil {
		return t.needRecords()
	}
	if t.AsSealed = t.isAsSealed(); t.AsSealed {
		if !t.Known {
			t.sealedAs(t.Traced.Result, t.Set)
		}
		return t.needRecords()
	}
	var err error
	t.AsSealed, err = t.takeRetained(ctx)
	t.Missing = !t.AsSealed
	return errors.Join(err, t.needRecords())
}

// sealedAs takes what was found for what was sealed, of a figure of which the block does not tell it.
func (t *tracer) sealedAs(found *trace.Result, set *source.Set) {
	t.Sealed, t.Known = found.Amount, true
	for i := range found.Sources {
		if given := &found.Sources[i]; given.Records > 0 {
			t.source(set.Sources[i].Name).Was = given.Amount
		}
	}
}

// needRecords wants a record of a group of which no block tells whether there is one.
func (t *tracer) needRecords() error {
	r := t.Traced.Result
	if t.gave == nil || !t.gave.Untold || r.Records+r.Suspense.Records+r.Dropped.Records+r.Left.Records > 0 {
		return nil
	}
	var said []string
	for _, w := range t.Words {
		said = append(said, w.Column+" "+w.Value)
	}
	return errors.Join(fmt.Errorf("no record has %s", strings.Join(said, ", ")), t.Close())
}

// spelt are words as the run writes them.
func (in *Input) spelt(say []block.Word) []block.Word {
	say = slices.Clone(say)
	for i := range say {
		if w := &say[i]; slices.Contains(in.Set.Words(), w.Column) {
			w.Value = in.Set.Spelling(w.Column, w.Value)
		}
	}
	return say
}

// read reads the records.
func (t *tracer) read(ctx context.Context) error {
	if t.some != nil {
		err := t.readSources(ctx, t.in.Set.Subset(t.some))
		if err == nil || ctx.Err() != nil {
			return err
		}
		if t.task.Block > 0 { // those of later periods do not count
			t.some = t.toRead(true)
			return t.readSources(ctx, t.in.Set.Subset(t.some))
		}
		t.some = nil // they may lack a column that others have
	}
	return t.readSources(ctx, t.in.Set.Subset(everything(len(t.in.Set.Sources))))
}

func (t *tracer) readSources(ctx context.Context, set *source.Set) (err error) {
	in := *t.in
	in.Set = set
	in.Reading.Partial = in.Reading.Partial || t.some != nil
	if err := set.Look(ctx, in.Reading); err != nil {
		return err
	}
	run := &Run{Input: &in}
	job, err := t.prepare(ctx, run)
	if err != nil {
		return err
	}
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

// prepare has the search for the records of the figure take part in a run.
func (t *tracer) prepare(ctx context.Context, run *Run) (job *trace.Job, err error) {
	var part *Part
	if t.figure.Asked == nil {
		part = run.Join(run.Input.Whole())
	} else if part, err = t.figure.Part(ctx, run); err != nil {
		return nil, err
	}
	o := trace.Options{Sum: t.sum, With: t.Others, Most: t.task.Top, Chosen: t.figure.chosen || t.task.Chosen}
	if t.task.All || t.task.Out != "" {
		o.Most = 0
	}
	for _, w := range t.Words {
		o.Words = append(o.Words, trace.Word(w))
	}
	if o.Drop, err = part.Left(); err != nil {
		return nil, err
	}
	if job, err = trace.Prepare(ctx, part.Set, part.Reading, o); err != nil {
		return nil, err
	}
	part.Join(job)
	return job, nil
}

// ParseTraced takes what stands on the command line apart: paths, and words as COLUMN=VALUE. A path that is there
// is one, whatever it is called. Two texts at the end that are none are the labels of a row and a column of a grid.
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
	if n := len(paths) - 2; n >= 0 && isLabel(paths[n], isThere) && isLabel(paths[n+1], isThere) {
		say = append(say, block.Word{Column: GridRow, Value: paths[n]},
			block.Word{Column: GridColumn, Value: paths[n+1]})
		paths = paths[:n]
	}
	return paths, say, err
}

// isLabel tells whether a text is no path.
func isLabel(text string, isThere func(path string) bool) bool {
	return !isThere(text) && !strings.ContainsAny(text, `/\*?[`) && !fileEnding.MatchString(text)
}

// fileEnding is what names of files end in.
var fileEnding = regexp.MustCompile(`\.[A-Za-z0-9]{2,5}$`)
