package month

import (
	"context"
	"errors"
	"slices"

	"lastblock/core/capability/align"
	"lastblock/core/capability/attach"
	"lastblock/core/capability/doubles"
	"lastblock/core/capability/gauge"
	"lastblock/core/capability/intake"
	"lastblock/core/capability/prove"
	"lastblock/core/capability/reconcile"
	"lastblock/core/capability/rollup"
	"lastblock/core/capability/split"
	"lastblock/core/capability/tieout"
	"lastblock/core/option"
	"lastblock/core/source"
)

// Task is one part of a month end, as a plan or a command line asks for it.
type Task interface {
	Name() string         // of its command, and of its table in a plan
	Sources() *Reading    // what it reads
	Options() option.List // its own, besides those of its reading
}

// tasks make each task with what is usual, in the order of the work.
var tasks = []func() Task{
	func() Task { return NewIntake() },
	func() Task { return NewGauge() },
	func() Task { return NewTieOut() },
	func() Task { return NewDoubles() },
	func() Task { return NewCollate() },
	func() Task { return NewRollup() },
	func() Task { return NewReconcile() },
	func() Task { return NewAttach() },
	func() Task { return NewAlign() },
	func() Task { return NewSplit() },
	func() Task { return NewProve() },
}

// Tasks are all tasks with what is usual, in the order of the work.
func Tasks() []Task {
	all := make([]Task, len(tasks))
	for i, make := range tasks {
		all[i] = make()
	}
	return all
}

// AllOptions are a task's own options and those of its reading.
func AllOptions(t Task) option.List { return append(t.Options(), t.Sources().Options()...) }

// Intake is a look at what arrived.
type Intake struct {
	Reading
	Head int
}

// NewIntake is one with what is usual.
func NewIntake() *Intake { return &Intake{Reading: newReading()} }

func (t *Intake) Name() string      { return "intake" }
func (t *Intake) Sources() *Reading { return &t.Reading }

func (t *Intake) Options() option.List {
	return option.List{{Word: "head", Value: &t.Head, Meaning: "show the first N rows of each source"}}
}

// Ask is what is asked for.
func (t *Intake) Ask() intake.Options { return intake.Options{Head: t.Head} }

// Gauge is a description of columns.
type Gauge struct {
	Reading
	Writing
	Each     bool
	Frequent int
}

// NewGauge is one with what is usual.
func NewGauge() *Gauge { return &Gauge{Reading: newReading(), Frequent: 3} }

func (t *Gauge) Name() string      { return "gauge" }
func (t *Gauge) Sources() *Reading { return &t.Reading }

func (t *Gauge) Options() option.List {
	return option.List{
		{Word: "each", Value: &t.Each, Meaning: "of each source, too"},
		{Word: "frequent", Value: &t.Frequent, Meaning: "how many of the most frequent values to show"},
		t.suspense(), t.shield(), t.replace(),
	}
}

// Ask is what is asked for.
func (t *Gauge) Ask() gauge.Options { return gauge.Options{Each: t.Each, Frequent: t.Frequent} }

// TieOut is a tie-out.
type TieOut struct {
	Reading
	tieout.Request
	Writing
	Top, Bottom int
}

// NewTieOut is one with what is usual.
func NewTieOut() *TieOut { return &TieOut{Reading: newReading()} }

func (t *TieOut) Name() string      { return "tieout" }
func (t *TieOut) Sources() *Reading { return &t.Reading }

func (t *TieOut) Options() option.List {
	return append(t.Request.Options(),
		t.findings(listMeaning+" of collate"),
		&option.Option{Word: "top", Value: &t.Top, Least: 1, Meaning: "show only the N sources with the largest total"},
		&option.Option{Word: "bottom", Value: &t.Bottom, Least: 1,
			Meaning: "show only the N sources with the smallest total"},
		t.suspense(), t.shield(), t.replace())
}

// Ask reads what is asked of the sources of in.
func (t *TieOut) Ask(ctx context.Context, in *Input) (tieout.Options, error) {
	o, err := t.Request.Read(ctx, in.Set, in.Reading, in.Decimal)
	if err == nil {
		err = in.NeedSources()
	}
	if err == nil {
		err = in.Check(ctx, t.Totals)
	}
	if err != nil {
		return o, err
	}
	o.Partial, o.Whole = in.Partial, t.JSON || t.Findings != ""
	o.Drop, err = in.Left()
	return o, err
}

// Doubles is a search for doubles.
type Doubles struct {
	Reading
	doubles.Request
	Writing
}

// NewDoubles is one with what is usual.
func NewDoubles() *Doubles { return &Doubles{Reading: newReading(), Request: doubles.NewRequest()} }

func (t *Doubles) Name() string      { return "doubles" }
func (t *Doubles) Sources() *Reading { return &t.Reading }

func (t *Doubles) Options() option.List {
	return append(t.Request.Options(),
		t.bare("in the file of ⟨out⟩, leave out the words of ⟨name⟩, source and source_line"),
		t.findings(listMeaning), t.review(), t.out(), t.suspense(), t.shield(), t.replace())
}

// Ask reads what is asked for.
func (t *Doubles) Ask() (doubles.Options, error) {
	o, err := t.Request.Read(t.Manner.Shape.Amounts())
	o.Whole = t.JSON || t.Findings != ""
	return o, err
}

// Collate is one set of records.
type Collate struct {
	Reading
	Writing
	Totals []string
}

// NewCollate is one with what is usual.
func NewCollate() *Collate { return &Collate{Reading: newReading()} }

func (t *Collate) Name() string      { return "collate" }
func (t *Collate) Sources() *Reading { return &t.Reading }

func (t *Collate) Options() option.List {
	return option.List{
		t.bare(bareMeaning),
		{Word: "total", Value: &t.Totals, Columns: option.DataColumns,
			Meaning: "amount columns to prove as well; a record without a proper amount there goes into suspense"},
		t.out(), t.anyway(), t.suspense(), t.shield(), t.replace(),
	}
}

// Rollup is a summary.
type Rollup struct {
	Reading
	rollup.Request
	Writing
}

// NewRollup is one with what is usual.
func NewRollup() *Rollup { return &Rollup{Reading: newReading()} }

func (t *Rollup) Name() string      { return "rollup" }
func (t *Rollup) Sources() *Reading { return &t.Reading }

func (t *Rollup) Options() option.List {
	return append(t.Request.Options(), t.out(), t.anyway(), t.suspense(), t.shield(), t.replace())
}

// Reconcile is a reconciliation of records with a reference, or with one another.
type Reconcile struct {
	Reading
	reconcile.Request
	Writing
	Reference source.Request
}

// NewReconcile is one with what is usual.
func NewReconcile() *Reconcile {
	return &Reconcile{Reading: newReading(), Request: reconcile.NewRequest(),
		Reference: source.Request{Prefix: reconcile.ReferencePrefix}}
}

func (t *Reconcile) Name() string      { return "reconcile" }
func (t *Reconcile) Sources() *Reading { return &t.Reading }

func (t *Reconcile) Options() option.List {
	return slices.Concat(t.Request.Options(),
		option.List{t.bare("in the file of ⟨corrected⟩, leave out source and source_line"), t.findings(listMeaning),
			t.out(), t.anyway(), t.shield(), t.replace()},
		t.Reference.ReferenceOptions())
}

// Ask reads what is asked for. Words of only that are statuses say which records are written.
func (t *Reconcile) Ask() (o reconcile.Options, only []reconcile.Status, err error) {
	if o, err = t.Request.Read(); err != nil {
		return o, nil, err
	}
	var patterns []string
	for _, word := range t.Only {
		if status, err := reconcile.ParseStatus(word); err == nil {
			only = append(only, status)
		} else {
			patterns = append(patterns, word)
		}
	}
	if t.Only = patterns; len(only) > 0 && t.Out == "" {
		return o, nil, option.Errorf("only", "which records are written goes together with ⟨out⟩")
	}
	o.Rows = t.Out != "" || t.Corrected != ""
	return o, only, nil
}

// Open finds the sources of both sides, which are the same ones for a mirror.
func (t *Reconcile) Open(ctx context.Context, paths []string, machine int64,
	o *reconcile.Options) (here, there *Input, err error) {
	query, isQuery := &t.Manner.Query, slices.ContainsFunc(t.Against, source.IsQuery)
	if isQuery && t.Reference.Manner.Query == "" && !slices.ContainsFunc(paths, source.IsQuery) {
		t.Reference.Manner.Query, *query = *query, "" // there is only one that it can be for
	}
	if here, err = t.Reading.Open(ctx, paths, machine); err != nil {
		return nil, nil, err
	}
	if o.Drop[0], err = here.Left(); err != nil {
		return nil, nil, err
	}
	if o.Mirror != nil {
		return here, here, t.ReadRates(ctx, here.Set, here.Reading, o)
	}
	t.Reference.Manner.Shape.Rename = append(slices.Clone(t.Reference.Manner.Shape.Rename), t.Renames()...)
	there, err = here.Reference(ctx, t.Reference, t.Against)
	return here, there, err
}

// FromPrefix stands before the words of options that speak of references to look up in.
const FromPrefix = "from-"

// Attach looks up columns.
type Attach struct {
	Collate
	attach.Request
	Reference source.Request
}

// NewAttach is one with what is usual.
func NewAttach() *Attach {
	return &Attach{Collate: *NewCollate(), Reference: source.Request{Prefix: FromPrefix}}
}

func (t *Attach) Name() string { return "attach" }

func (t *Attach) Options() option.List {
	return slices.Concat(t.Request.Options(), t.Collate.Options(), t.Reference.ReferenceOptions())
}

// Ask reads what is asked for, and finds the references, which are no sources of in.
func (t *Attach) Ask(ctx context.Context, in *Input) ([]*attach.Reference, error) {
	references, err := t.Request.Read()
	if err != nil {
		return nil, err
	}
	for i, reference := range references {
		other, err := in.Reference(ctx, t.Reference, t.From[i:i+1])
		if err != nil {
			if of := new(option.Error); errors.As(err, &of) {
				return nil, err
			}
			return nil, option.Errorf("from", "%w", err)
		}
		in.Set.LeaveOut("the reference", t.From[i])
		reference.In(other.Set)
	}
	return references, nil
}

// Align puts sources side by side.
type Align struct {
	Reading
	align.Request
	Writing
}

// NewAlign is one with what is usual.
func NewAlign() *Align { return &Align{Reading: newReading()} }

func (t *Align) Name() string      { return "align" }
func (t *Align) Sources() *Reading { return &t.Reading }

func (t *Align) Options() option.List {
	return append(t.Request.Options(), t.out(), t.anyway(), t.shield(), t.replace())
}

// Split cuts a file into parts.
type Split struct {
	Reading
	Writing
	Rows   int
	Parts  int
	By     string
	OutDir string
	Totals []string
}

// NewSplit is one with what is usual.
func NewSplit() *Split { return &Split{Reading: newReading()} }

func (t *Split) Name() string      { return "split" }
func (t *Split) Sources() *Reading { return &t.Reading }

func (t *Split) Options() option.List {
	return option.List{
		{Word: "rows", Value: &t.Rows, Least: 1, Meaning: "how many rows a part has"},
		{Word: "parts", Value: &t.Parts, Least: 1, Meaning: "into how many parts, as equal as can be"},
		{Word: "by", Value: &t.By, Columns: option.DataColumns, Meaning: "a column: one part for each of its values"},
		{Word: "out-dir", Value: &t.OutDir, File: option.Written,
			Meaning: "the folder for the parts; it is made if need be"},
		{Word: "total", Value: &t.Totals, Columns: option.DataColumns,
			Meaning: "columns to add up on the control sheet (those that hold amounts)"},
		t.replace(),
	}
}

// Ask reads what is asked for.
func (t *Split) Ask() (split.Options, error) {
	ways := 0
	for _, asked := range []bool{t.Rows > 0, t.Parts > 0, t.By != ""} {
		if asked {
			ways++
		}
	}
	o := split.Options{Rows: t.Rows, Parts: t.Parts, By: t.By, Totals: t.Totals}
	switch {
	case ways != 1:
		return o, errors.New("how is the file to be cut? Say one of ⟨rows⟩ N, ⟨parts⟩ N and ⟨by⟩ COLUMN")
	case t.OutDir == "":
		return o, option.Errorf("out-dir", "where do the parts go? Name a folder")
	}
	return o, nil
}

// Prove compares two sets of records.
type Prove struct {
	Reading
	Equals []string
	Exact  bool
	First  int
}

// NewProve is one with what is usual.
func NewProve() *Prove { return &Prove{Reading: newReading(), First: 5} }

func (t *Prove) Name() string      { return "prove" }
func (t *Prove) Sources() *Reading { return &t.Reading }

func (t *Prove) Options() option.List {
	return option.List{
		{Word: "equals", Value: &t.Equals, Whole: true, File: option.Read,
			Meaning: "the other set: files, folders, patterns"},
		{Word: "exact", Value: &t.Exact, Meaning: "values are equal only where their texts are"},
		{Word: "first", Value: &t.First, Meaning: "how many of the records that only one side has are shown"},
	}
}

// Ask reads what is asked for.
func (t *Prove) Ask() (prove.Options, error) {
	if len(t.Equals) == 0 {
		return prove.Options{}, option.Errorf("equals",
			"what is it to be compared with? Name the other set behind ⟨equals⟩")
	}
	return prove.Options{Exact: t.Exact, First: t.First}, nil
}
