package month

import (
	"lastblock/core/capability/align"
	"lastblock/core/option"
)

// Align puts sources side by side.
type Align struct {
	Reading
	align.Request
	Writing
}

// NewAlign is one with what is usual.
func NewAlign() *Align { return &Align{Reading: newReading()} }

func (t *Align) Name() string { return "align" }

func (t *Align) Sources() *Reading { return &t.Reading }

func (t *Align) Options() option.List {
	return append(t.Request.Options(), t.named(), t.out(), t.anyway(), t.shield(), t.replace())
}
