// Package rollup sums amount columns by groups: exact sums and counts, spread
// over the values of one more column if asked, with subtotals, shares and a
// grand total.
package rollup

import (
	"context"
	"errors"
	"sync"

	"lastblock/core/finding/drop"
	"lastblock/core/finding/suspense"
	"lastblock/core/source"
	"lastblock/core/tally"
)

// Options say what is summed.
type Options struct {
	By       []string  // group columns: of the data, words of --name, or source
	Sum      []string  // amount columns
	Across   string    // the column whose values the sums are spread over, or ""
	Drop     *drop.Set // what is left out
	Twins    bool      // look for sources that are the same bytes
	Suspense *suspense.File
}

// Run sums up a set. Groups that do not fit into half of the memory are put
// into temporary files, which the caller gives back with Close. The error is a
// *tally.UnknownColumnError, a *TooManyAcrossError, or what reading returned.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	if err := set.Look(ctx, reading); err != nil {
		return nil, err
	}
	keys := options.By
	if options.Across != "" {
		keys = append(keys[:len(keys):len(keys)], options.Across)
	}
	resolver := tally.NewResolver(set)
	parts := make([]tally.Column, len(keys))
	for i, name := range keys {
		var err error
		if parts[i], err = resolver.Resolve(name); err != nil {
			return nil, err
		}
	}
	sums := make([]string, len(options.Sum))
	for i, name := range options.Sum {
		column, err := resolver.ResolveData(name)
		if err != nil {
			return nil, err
		}
		sums[i] = column.Name
	}
	t := tally.New(set, tally.Options{Amounts: options.Sum, Filed: options.Twins, Suspense: options.Suspense, Drop: options.Drop})
	if options.Twins {
		if err := t.LookForTwins(ctx, reading.Jobs); err != nil {
			return nil, err
		}
	}
	var visitors []*visitor
	result := &Result{Sums: sums, across: options.Across != "", most: int(max(reading.Memory/2, 1<<24) / bytesPerRow)}
	for _, part := range parts[:len(options.By)] {
		result.Columns = append(result.Columns, part.Name)
	}
	limit := reading.Memory / int64(2*max(1, reading.Jobs))
	err := set.Scan(ctx, reading, func() source.Visitor {
		v := &visitor{set: set, tally: t.Visitor(), parts: parts, table: newTable(len(options.Sum)), limit: limit}
		visitors = append(visitors, v)
		return v
	})
	for _, v := range visitors {
		result.runs = append(result.runs, v.spilled...)
	}
	if err == nil {
		err = t.Finish()
	}
	if err == nil {
		result.runs = append(result.runs, inOrder(visitors)...)
		err = result.survey()
	}
	if err != nil {
		return nil, errors.Join(err, result.Close())
	}
	for _, part := range parts {
		resolver.TellMissing(part, &t.Findings)
	}
	result.Findings, result.Proof = t.Findings.All(), t.Proof
	return result, nil
}

// inOrder puts the tables in order, each on a goroutine of its own.
func inOrder(visitors []*visitor) []run {
	runs := make([]run, len(visitors))
	var group sync.WaitGroup
	for i, v := range visitors {
		group.Go(func() { runs[i] = &tableRun{v.table, v.table.sorted()} })
	}
	group.Wait()
	return runs
}

// visitor groups what one goroutine reads.
type visitor struct {
	set     *source.Set
	tally   *tally.Visitor
	parts   []tally.Column
	table   *table
	limit   int64 // bytes that the table may take
	spilled []run

	index   int
	bound   []tally.Bound
	key     []byte
	scratch []byte
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	if b.First || v.bound == nil || v.index != b.Index {
		v.index = b.Index
		v.bound = v.bound[:0]
		for _, part := range v.parts {
			v.bound = append(v.bound, part.Bind(v.set, b.Index, b.Head))
		}
	}
	width := v.table.width
	values := v.tally.Values
	for i := range v.tally.Usable(b) {
		row := v.tally.Row(i)
		v.key = v.key[:0]
		for k := range v.bound {
			text := v.bound[k].Constant
			if column := v.bound[k].Column; column >= 0 {
				text = b.Text(row, column, &v.scratch)
			}
			v.key = appendPart(v.key, text)
		}
		group := v.table.group(v.key)
		v.table.counts[group]++
		sums := v.table.of(group)
		for k := range sums {
			sums[k].Add(values[i*width+k])
		}
	}
	if v.table.size() > v.limit {
		run, err := putAside(v.table)
		if err != nil {
			return err
		}
		v.spilled = append(v.spilled, run)
		v.table = newTable(width)
	}
	return nil
}

func (v *visitor) Part(ctx context.Context, task int) error { return v.tally.Part(ctx, task) }

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }
