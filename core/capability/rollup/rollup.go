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
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
)

// Options say what is summed.
type Options struct {
	By       []string  // group columns: of the data, words of file names, or source
	Sum      []string  // amount columns
	Across   string    // the column whose values the sums are spread over, or ""
	Drop     *drop.Set // what is left out
	Twins    bool      // look for sources that are the same bytes
	BySource bool      // keep what each source gave, too
	// Known tells of a source whether what it gave is known elsewhere, so that it is not kept by group; nil for none.
	// Several goroutines may ask. It is not asked of all sources.
	Known    func(g *Gave) bool
	Suspense *suspense.File
}

// Job is a summary on its way: prepared, shown the records by its visitors, and finished.
type Job struct {
	set      *source.Set
	tally    *tally.Tally
	resolver *tally.Resolver
	parts    []tally.Column // of the key
	sums     int
	limit    int64 // bytes that the table of one goroutine may take
	bySource bool
	known    func(g *Gave) bool
	visitors []*visitor
	result   *Result
}

// Run sums up a set. Groups that do not fit into half of the memory are put
// into temporary files, which the caller gives back with Close. The error is a
// *tally.UnknownColumnError, a *TooManyAcrossError, or what reading returned.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	j, err := Prepare(ctx, set, reading, options)
	if err != nil {
		return nil, err
	}
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	return j.Finish()
}

// Prepare looks at all sources and finds the columns. The caller then scans the set with the
// job's visitors and calls Finish, or Close where the scan has failed. The error is a
// *tally.UnknownColumnError, or what reading returned.
func Prepare(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Job, error) {
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
	t := tally.New(set, tally.Options{Amounts: options.Sum, Filed: options.Twins, Suspense: options.Suspense,
		Drop: options.Drop})
	if options.Twins {
		if err := t.LookForTwins(ctx, reading.Jobs); err != nil {
			return nil, err
		}
	}
	result := &Result{Sums: sums, across: options.Across != "", most: int(max(reading.Memory/2, 1<<24) / bytesPerRow)}
	if options.Across != "" {
		result.acrossColumn = parts[len(options.By)].Name
	}
	for _, part := range parts[:len(options.By)] {
		result.Columns = append(result.Columns, part.Name)
	}
	limit := reading.Memory / int64(2*max(1, reading.Jobs))
	if options.BySource {
		limit /= 3 // of which each goroutine has three
	}
	return &Job{set: set, tally: t, resolver: resolver, parts: parts, sums: len(sums), limit: limit,
		bySource: options.BySource, known: options.Known, result: result}, nil
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	v := &visitor{tally: j.tally.Visitor(), parts: j.parts, bound: tally.NewBinding(j.set, j.parts),
		table: newTable(j.sums), limit: j.limit, texts: make([][]byte, len(j.parts)),
		scratch: make([][]byte, len(j.parts))}
	if j.bySource {
		v.by = newBySource(j.sums, j.set.IsShared)
		v.by.result, v.by.known = j.result, j.known
	}
	j.visitors = append(j.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.tally.Read() }

// Finish puts the groups together when all records have been visited. The error is a
// *TooManyAcrossError, a *proof.FailedError, or what temporary files returned.
func (j *Job) Finish() (*Result, error) {
	if err := j.tally.Finish(); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	for _, v := range j.visitors {
		if v.by != nil {
			v.by.settle(v.table, true)
		}
		j.result.runs = append(j.result.runs, v.spilled...)
	}
	j.result.runs = append(j.result.runs, inOrder(j.visitors)...)
	visitors := j.visitors
	j.visitors = nil
	j.result.Sources = j.tally.Sources
	err := j.result.survey()
	if err == nil && j.bySource {
		err = j.result.gatherSources(visitors)
	}
	if err != nil {
		return nil, errors.Join(err, j.Close())
	}
	for _, part := range j.parts {
		j.resolver.TellMissing(part, &j.tally.Findings)
	}
	j.result.Findings, j.result.Proof = j.tally.Findings.All(), j.tally.Proof
	return j.result, nil
}

// Close gives back what the job holds, where its result is not wanted.
func (j *Job) Close() error {
	for _, v := range j.visitors {
		j.result.runs = append(j.result.runs, v.spilled...)
		if v.by != nil {
			j.result.runs = append(j.result.runs, v.by.spilled...)
		}
	}
	j.visitors = nil
	return j.result.Close()
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
	tally   *tally.Visitor
	parts   []tally.Column
	table   *table
	limit   int64 // bytes that the table may take
	spilled []run
	by      *bySource // nil where that is not asked for

	bound   *tally.Binding
	texts   [][]byte // of the key of a record
	scratch [][]byte // likewise, where they were in quotes
	key     []byte
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	v.bound.To(b)
	table := v.table
	if v.by != nil {
		v.by.begin(b.Index, v.table)
		table = v.by.apart
	}
	width := table.width
	values := v.tally.Values
	n := v.tally.Usable(b)
	var few [2][]byte // where the collector need not be told of each text
	key := v.texts
	if len(key) <= len(few) {
		key = few[:len(key)]
	}
	for i := range n {
		row := v.tally.Row(i)
		bounds := b.RecordBounds(row)
		for k := range key {
			of := &v.bound.Bound[k]
			if of.Column < 0 {
				key[k] = of.Constant
				continue
			}
			text := b.Data[bounds[of.Column]+1 : bounds[of.Column+1]]
			if b.Quoted && len(text) > 0 && text[0] == '"' {
				text = record.Unquoted(text, &v.scratch[k])
			}
			key[k] = text
		}
		group := table.groupOf(key, &v.key)
		table.counts[group]++
		if table.lines != nil {
			table.see(group, b.Line(row))
		}
		sums := table.of(group)
		for k := range sums {
			sums[k].Add(values[i*width+k])
		}
	}
	if v.by != nil {
		if v.by.rows += n; v.by.apart.size() > v.limit {
			v.by.settle(v.table, false)
		}
		if err := v.by.spill(v.limit, len(v.parts)); err != nil {
			return err
		}
	}
	if v.table.size() > v.limit {
		run, err := putAside(v.table, len(v.parts))
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
