package block

import "io"

// Pack gives what the checks of a block came to to read, as the close wrote it; ok is false for a block that has none.
// The error is a *BrokenError where the file is not as it was sealed, or what reading it or read returned.
func (c *Chain) Pack(e *Entry, read func(io.Reader) error) (ok bool, err error) {
	if e.Block.Pack == nil {
		return false, nil
	}
	return true, c.lost(e, e, "checks", *e.Block.Pack, c.open(e, *e.Block.Pack, "pack", read))
}
