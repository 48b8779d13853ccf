//go:build !broken

package tally

import "lastblock/core/source"

// An engine that is not built to be broken does none of this; see broken.go.

func isBroken() bool { return false }

func (v *Visitor) breakRows(*source.Batch) {}

func (v *Visitor) breakAmount() bool { return false }
