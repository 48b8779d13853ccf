package month

import (
	"context"
	"slices"

	"lastblock/core/capability/reconcile"
	"lastblock/core/option"
	"lastblock/core/source"
)

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

func (t *Reconcile) Name() string { return "reconcile" }

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
