package month

import (
	"context"
	"errors"
	"slices"

	"lastblock/core/capability/attach"
	"lastblock/core/option"
	"lastblock/core/source"
)

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
