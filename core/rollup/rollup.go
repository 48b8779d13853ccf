// Package rollup sums amount columns by groups: exact sums and counts, spread
// over the values of one more column if asked, with subtotals, shares and a
// grand total.
package rollup

import (
	"context"
	"encoding/binary"
	"fmt"

	"lastblock/core/amount"
	"lastblock/core/finding"
	"lastblock/core/proof"
	"lastblock/core/source"
	"lastblock/core/suspense"
	"lastblock/core/tally"
)

// Options say what is summed.
type Options struct {
	By       []string // group columns: of the data, words of --name, or source
	Sum      []string // amount columns
	Across   string   // the column whose values the sums are spread over, or ""
	Decimal  byte
	Suspense *suspense.File
}

// Result is a summary.
type Result struct {
	Columns  []string // the group columns by name
	Sums     []string // the amount columns by name
	Across   []string // values of the across column, in natural order
	Groups   []Row    // in natural order of their keys
	Total    Row      // over all groups; it has no Key
	Findings []finding.Finding
	Proof    proof.Proof
}

// Row is one group: its records and its sums.
type Row struct {
	Key     []string
	Records int
	Sums    []amount.Amount
	Cells   [][]amount.Amount // by across value, then by sum; nil where no record is
}

// TooManyGroupsError says that the groups do not fit into the memory given.
type TooManyGroupsError struct {
	Groups int
	Memory int64
}

func (e *TooManyGroupsError) Error() string {
	return fmt.Sprintf("there are more than %d groups, which do not fit into %d MB; group by fewer columns, or raise --memory", e.Groups, e.Memory>>20)
}

// Run sums up a set. The error is a *tally.UnknownColumnError, a
// *TooManyGroupsError, what reading returned, or a *proof.FailedError.
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
	t := tally.New(set, tally.Options{Amounts: options.Sum, Decimal: options.Decimal, Suspense: options.Suspense})
	var visitors []*visitor
	limit := max(reading.Memory/int64(2*max(1, reading.Jobs)), 16<<20)
	err := set.Scan(ctx, reading, func() source.Visitor {
		v := &visitor{set: set, tally: t.Visitor(), parts: parts, table: newTable(len(options.Sum)), limit: limit, memory: reading.Memory}
		visitors = append(visitors, v)
		return v
	})
	if err != nil {
		return nil, err
	}
	if err := t.Finish(); err != nil {
		return nil, err
	}
	all := visitors[0].table
	for _, v := range visitors[1:] {
		all.merge(v.table)
	}
	for _, part := range parts {
		resolver.TellMissing(part, &t.Findings)
	}
	result := &Result{Sums: sums, Proof: t.Proof, Findings: t.Findings.All()}
	for _, part := range parts[:len(options.By)] {
		result.Columns = append(result.Columns, part.Name)
	}
	return result, result.fill(all, options.Across != "")
}

// visitor groups what one goroutine reads.
type visitor struct {
	set    *source.Set
	tally  *tally.Visitor
	parts  []tally.Column
	table  *table
	limit  int64 // bytes that the table may take
	memory int64

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
			v.key = binary.AppendUvarint(v.key, uint64(len(text)))
			v.key = append(v.key, text...)
		}
		group := v.table.group(v.key)
		v.table.counts[group]++
		sums := v.table.of(group)
		for k := range sums {
			sums[k].Add(values[i*width+k])
		}
	}
	if size := v.table.size(); size > v.limit {
		return &TooManyGroupsError{Groups: v.table.len(), Memory: v.memory}
	}
	return nil
}

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// splitKey takes a group's key apart again.
func splitKey(key []byte) []string {
	var parts []string
	for len(key) > 0 {
		n, size := binary.Uvarint(key)
		parts = append(parts, string(key[size:size+int(n)]))
		key = key[size+int(n):]
	}
	return parts
}
