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
			t.review(), t.named(), t.out(), t.anyway(), t.shield(), t.replace()},
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

// SettleQuery settles whose the query of a database is that is asked for once: of the reference, where only
// that is one. paths are those of the records.
func (t *Reconcile) SettleQuery(paths []string) {
	query, isQuery := &t.Manner.Query, slices.ContainsFunc(t.Against, source.IsQuery)
	if isQuery && t.Reference.Manner.Query == "" && !slices.ContainsFunc(paths, source.IsQuery) {
		t.Reference.Manner.Query, *query = *query, ""
	}
}

// There finds the sources of the other side, which are those of here for a mirror.
func (t *Reconcile) There(ctx context.Context, here *Input, o *reconcile.Options) (there *Input, err error) {
	if o.Drop[0], err = here.Left(); err != nil {
		return nil, err
	}
	if o.Mirror != nil {
		return here, t.ReadRates(ctx, here.Set, here.Reading, o)
	}
	t.Reference.Manner.Shape.Rename = append(slices.Clone(t.Reference.Manner.Shape.Rename), t.Renames()...)
	return here.Reference(ctx, t.Reference, t.Against)
}
