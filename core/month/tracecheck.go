package month

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"lastblock/core/capability/rollup"
	"lastblock/core/capability/trace"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
)

// figureCheck makes the figure once more, as a summary does.
type figureCheck struct {
	job    *rollup.Job // nil where nothing is checked
	words  []block.Word
	by     []string
	result string
}

// check has the figure made once more in the same reading, where all is read.
func (t *tracer) check(ctx context.Context, run *Run) (*figureCheck, error) {
	c := &figureCheck{words: t.Words, by: t.figure.by, result: t.Of}
	isGroup := func(w block.Word) bool { return slices.Contains(t.figure.by, w.Column) }
	if t.some != nil || len(t.figure.by) == 0 || !slices.Contains(t.figure.sums, t.sum) ||
		slices.ContainsFunc(t.Words, func(w block.Word) bool { return !isGroup(w) }) {
		return c, nil
	}
	part, err := t.figure.Part(ctx, run)
	if err != nil {
		return nil, err
	}
	o := rollup.Options{By: t.figure.by, Sum: append([]string{t.sum}, t.Others...)}
	if o.Drop, err = part.Left(); err != nil {
		return nil, err
	}
	if c.job, err = rollup.Prepare(ctx, part.Set, part.Reading, o); err != nil {
		return nil, err
	}
	part.Join(c.job)
	return c, nil
}

func (c *figureCheck) close() error {
	if c.job == nil {
		return nil
	}
	return c.job.Close()
}

// finish wants the records that were found to come to the figure.
func (c *figureCheck) finish(found *trace.Result) error {
	if c.job == nil {
		return nil
	}
	result, err := c.job.Finish()
	if err != nil {
		return err
	}
	var sum amount.Sum
	records := 0
	err = result.EachGroup(func(row rollup.Row) error {
		for _, w := range c.words {
			if row.Key[slices.Index(c.by, w.Column)] != w.Value {
				return nil
			}
		}
		sum.Add(row.Sums[0])
		records += row.Records
		return nil
	})
	if err = errors.Join(err, result.Close()); err != nil {
		return err
	}
	if made := sum.Amount(); made.Cmp(found.Amount) != 0 || records != found.Records {
		return fmt.Errorf("internal error: %s has %d records of %s there, and %d of %s were found", c.result, records,
			made, found.Records, found.Amount)
	}
	return nil
}
