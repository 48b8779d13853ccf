package month

import (
	"lastblock/core/capability/rollup"
	"lastblock/core/option"
)

// Rollup is a summary.
type Rollup struct {
	Reading
	rollup.Request
	Writing
}

// NewRollup is one with what is usual.
func NewRollup() *Rollup { return &Rollup{Reading: newLooking()} }

func (t *Rollup) Name() string { return "rollup" }

func (t *Rollup) Sources() *Reading { return &t.Reading }

func (t *Rollup) Options() option.List {
	return append(t.Request.Options(), t.named(), t.out(), t.anyway(), t.suspense(), t.shield(), t.replace())
}
