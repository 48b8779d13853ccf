package cli

import (
	"context"
	"fmt"
	"io"

	"lastblock/core/capability/collate"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/source"
)

// retained are all records, which are kept with the block; but for those of sources that an earlier block has retained,
// as far as nothing else has become of them.
type retained struct {
	closeCollation
	of *closing

	hashes map[string]string // of files, by path
	place  map[string]int    // of sources, by name
	again  map[int]bool      // sources whose records were to be left to an earlier block, and are others now
}

func (c *retained) create(ctx context.Context, in *month.Input) (err error) {
	if c.hashes, err = in.HashesByPath(ctx); err != nil {
		return err
	}
	c.place = make(map[string]int)
	for i := range in.Set.Sources {
		c.place[in.Set.Sources[i].Name] = i
	}
	c.skip, c.more = c.isLeft, c.writeAgain
	return c.closeCollation.create(ctx, in)
}

// isLeft tells whether the records of a source seem to be those that an earlier block has retained.
func (c *retained) isLeft(index int) bool {
	of := &c.of.in.Set.Sources[index]
	return c.of.base.Retained(of.Name, c.hashes[of.Path])
}

// isWritten tells whether the records of a source are retained with this block.
func (c *retained) isWritten(s *block.Source) bool {
	index, known := c.place[s.Source]
	return known && (!c.isLeft(index) || c.again[index])
}

// around writes records alone: what the verdict is stands in the block.
func (c *retained) around(ctx context.Context, read func() error, _ func() string) error {
	return c.closeCollation.around(ctx, read, func() string { return "" })
}

// writeAgain reads the sources once more where the records of some are not as an earlier block has retained them,
// though their bytes are, and writes these.
func (c *retained) writeAgain(ctx context.Context, w io.Writer) error {
	set := c.of.in.Set
	c.again = make(map[int]bool)
	for i := range set.Sources {
		if !c.isLeft(i) {
			continue
		}
		s := &block.Source{Source: set.Sources[i].Name, File: block.File{SHA256: c.hashes[set.Sources[i].Path]},
			Fingerprint: c.of.prints.Of(i), States: c.done.States[i]}
		var columns []string
		if head := set.Head(i); head != nil && head.Layout != nil {
			columns = head.Layout.Columns
		}
		if !c.of.base.Holds(s, columns) {
			c.again[i] = true
		}
	}
	if len(c.again) == 0 {
		return nil
	}
	wanted := c.wanted
	wanted.Twins, wanted.Suspense = false, nil
	wanted.Skip = func(index int) bool { return !c.again[index] }
	var err error
	if wanted.Drop, err = c.part.Left(); err != nil {
		return err
	}
	plan, err := collate.Prepare(ctx, c.part.Set, c.part.Reading, wanted)
	if err != nil {
		return err
	}
	job, err := plan.Begin(ctx, w)
	if err != nil {
		return err
	}
	prints := new(source.Fingerprints)
	if err := set.ScanFor(ctx, c.part.Reading, job, prints); err != nil {
		return err
	}
	done, err := job.Finish()
	if err != nil {
		return err
	}
	for i := range c.again {
		if prints.Of(i) != c.of.prints.Of(i) || done.States[i] != c.done.States[i] {
			return fmt.Errorf("%s was changed while it was read: close again", set.Sources[i].Name)
		}
	}
	return nil
}

func (c *retained) finish(context.Context) ([]finding.Finding, error) { return nil, nil } // which others have told

func (c *retained) made() *madeResult { return nil }

func (c *retained) measured() *month.MeasuredResult { return nil }
