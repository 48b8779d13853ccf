package month

import (
	"context"
	"encoding/csv"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"lastblock/core/capability/trace"
	"lastblock/core/month/block"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// A figure as a block has sealed it is traced through the records that the block has retained. These are written into
// a temporary folder, each source as the text that a frozen copy would be, and read from there as the plan reads
// sources. What they come to is held against what the block says of each source.

// isAsSealed tells whether the records that were found today are those that the block has sealed: all that gave
// something is as it was, and so are the plan, references and decisions.
func (t *tracer) isAsSealed() bool {
	c := t.compared
	if c.Plan || c.References || c.Decisions {
		return false
	}
	if t.Known && t.Traced.Result.Amount.Cmp(t.Sealed) != 0 {
		return false // another version of Lastblock may have read the same bytes otherwise
	}
	for i := range c.Sources {
		s := &c.Sources[i]
		at, gives := t.place[s.Source]
		switch {
		case s.Change == Moved:
		case s.Change == New && (!gives || t.Sources[at].Records == 0):
		default:
			return false
		}
	}
	return true
}

// takeRetained takes the records of the figure from what the block has retained, where they come to what it has sealed;
// ok is false where they do not, or nothing was retained.
func (t *tracer) takeRetained(ctx context.Context) (ok bool, err error) {
	if t.entry.Block.Records == nil {
		return false, nil
	}
	folder, err := os.MkdirTemp("", "lastblock-retained-*")
	if err != nil {
		return false, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	// A record that the tie-out could not use may be part of a result that asks less of it, unless it could not be
	// read.
	for _, wanted := range []func(r *block.Record) bool{
		func(r *block.Record) bool { return r.IsUsed() || r.State == string(tally.Suspended) && r.Raw == "" },
		(*block.Record).IsUsed,
	} {
		found, set, err := t.traceRetained(ctx, folder, wanted)
		if err != nil || found == nil {
			return false, err
		}
		if t.isSealed(found, set) {
			t.Now = t.Traced.Result.Amount
			closing := t.Traced.Result.Close()
			found.Findings = nil // which the block has
			t.Traced.Result, t.Set = found, set
			if !t.Known {
				t.sealedAs(found, set)
			}
			return true, closing
		}
		if err := found.Close(); err != nil {
			return false, err
		}
	}
	return false, nil
}

// isSealed holds what was found against what the block says that each source gave. Of a figure of which it says
// nothing, the sources have to come to what it has sealed of them, which writing them has made sure of.
func (t *tracer) isSealed(found *trace.Result, set *source.Set) bool {
	if t.gave.Untold {
		return true
	}
	var rest amount.Sum
	for i := range found.Sources {
		name := set.Sources[i].Name
		gave, known := t.gave.By[name]
		if !t.gave.Unknown[name] && (known || found.Sources[i].Records > 0) &&
			gave.Cmp(found.Sources[i].Amount) != 0 {
			return false
		}
		rest.Add(found.Sources[i].Amount)
	}
	return !t.Known || rest.Amount().Cmp(t.Sealed) == 0
}

// traceRetained traces the figure through retained records.
func (t *tracer) traceRetained(ctx context.Context, folder string, wanted func(r *block.Record) bool) (
	*trace.Result, *source.Set, error) {
	copies, err := t.writeRetained(folder, wanted)
	if err != nil || len(copies) == 0 {
		return nil, nil, err
	}
	request := t.task.Request
	request.Root, request.Moved, request.Base, request.Looks = "", nil, folder, false
	request.Only, request.Skip, request.Frozen = nil, nil, nil
	for i := range copies {
		request.Frozen = append(request.Frozen, copies[i].FrozenFile)
	}
	set, _, err := request.Find(ctx, nil, 0)
	if err != nil {
		return nil, nil, err
	}
	for i := range set.Sources {
		s := &set.Sources[i]
		at := slices.IndexFunc(copies, func(c retainedCopy) bool { return c.Path == s.Path })
		s.Words = make([]string, len(set.Words()))
		for k, word := range set.Words() {
			s.Words[k] = t.in.Set.Spelling(word, copies[at].words[word]) // as the figure was asked for
		}
	}
	in := *t.in
	in.Set, in.Decided, in.Seals = set, nil, false
	in.Reading.Partial = true
	found, err := t.find(ctx, &in)
	return found, set, err
}

// find finds the records of the figure among those of in, and checks nothing.
func (t *tracer) find(ctx context.Context, in *Input) (*trace.Result, error) {
	if err := in.Set.Look(ctx, in.Reading); err != nil {
		return nil, err
	}
	run := &Run{Input: in}
	job, err := t.prepare(ctx, run)
	if err != nil {
		return nil, err
	}
	if err := run.Read(ctx); err != nil {
		return nil, errors.Join(err, job.Close())
	}
	return job.Finish()
}

// retainedCopy are the retained records of a source, as a file.
type retainedCopy struct {
	source.FrozenFile
	words map[string]string // that the names of the records' sources told
}

// retainedSource is a source whose retained records are being written.
type retainedSource struct {
	*block.Source
	layout []string
	sums   [][]amount.Sum // of used records, by decimal mark and total
	unread []int          // amounts that are none, by decimal mark
	copy   retainedCopy
	file   *os.File
	out    *csv.Writer
	places []int
}

// writeRetained writes the records that the block has retained of the sources that gave something, each source into a
// file of a folder. There are none where a source does not come to what the block has sealed of it.
func (t *tracer) writeRetained(folder string, wanted func(r *block.Record) bool) (copies []retainedCopy, err error) {
	sources, err := t.chain.Sources(t.entry)
	if err != nil {
		return nil, err
	}
	known := make(map[string]*block.Source)
	for i := range sources {
		s := &sources[i]
		_, gave := t.gave.By[s.Source]
		if s.Of == "" && s.Layout > 0 && (gave || t.gave.Untold || t.gave.Unknown[s.Source]) {
			known[s.Source] = s
		}
	}
	var at *retainedSource
	whole := true
	end := func() error {
		if at == nil {
			return nil
		}
		copy, ok, err := at.end()
		whole = whole && ok
		copies, at = append(copies, copy), nil
		return err
	}
	isWanted := func(name string) bool { return known[name] != nil }
	err = t.chain.Records(t.entry, isWanted, func(columns []string, r *block.Record) error {
		if at == nil || at.Source.Source != r.Source {
			if err := end(); err != nil {
				return err
			}
			s := known[r.Source]
			at, err = newRetained(filepath.Join(folder, strconv.Itoa(len(copies))+".csv"), s,
				t.entry.Layouts[s.Layout-1], columns, r)
			if err != nil {
				return err
			}
		}
		return at.write(columns, r, wanted(r))
	})
	if err = errors.Join(err, end()); err != nil || !whole {
		return nil, err
	}
	return copies, nil
}

// newRetained begins a file.
func newRetained(path string, s *block.Source, layout, columns []string, first *block.Record) (*retainedSource, error) {
	r := &retainedSource{Source: s, layout: layout, sums: make([][]amount.Sum, len(marks)),
		unread: make([]int, len(marks))}
	for k := range marks {
		r.sums[k] = make([]amount.Sum, len(s.Totals))
	}
	r.copy = retainedCopy{source.FrozenFile{Path: path, Below: s.Source, Records: true}, make(map[string]string)}
	for _, name := range layout {
		r.places = append(r.places, slices.Index(columns, name))
	}
	for i, name := range columns {
		r.copy.words[name] = first.Texts[i]
	}
	var err error
	if r.file, err = os.Create(path); err != nil {
		return nil, err
	}
	r.out = csv.NewWriter(r.file)
	return r, r.out.Write(append(slices.Clone(layout), record.LineColumn))
}

// write writes a record where it is wanted, and counts it where it is used.
func (r *retainedSource) write(columns []string, of *block.Record, wanted bool) error {
	if of.IsUsed() {
		for i, total := range r.Totals {
			at := slices.Index(columns, total.Column)
			if at < 0 {
				continue
			}
			for k, mark := range marks {
				value, err := amount.Parse([]byte(of.Texts[at]), mark)
				if err != nil && err != amount.ErrBlank {
					r.unread[k]++
				}
				r.sums[k][i].Add(value)
			}
		}
	}
	if !wanted {
		return nil
	}
	cells := make([]string, 0, len(r.places)+1)
	for _, at := range r.places {
		text := ""
		if at >= 0 {
			text = of.Texts[at]
		}
		cells = append(cells, text)
	}
	return r.out.Write(append(cells, strconv.Itoa(of.Line)))
}

// end ends the file, and says how amounts are written in it; ok is false where the records do not come to what was
// sealed.
func (r *retainedSource) end() (copy retainedCopy, ok bool, err error) {
	r.out.Flush()
	err = errors.Join(r.out.Error(), r.file.Close())
	ok = len(r.Totals) == 0
	for k, mark := range marks {
		agrees := len(r.Totals) > 0
		for i, total := range r.Totals {
			agrees = agrees && r.sums[k][i].Amount().String() == total.Amount
		}
		if agrees {
			r.copy.Decimal, ok = mark, true
			break
		}
	}
	return r.copy, ok, err
}

// Visit calls visit for the records of the figure with the names of their sources, the largest amounts first: as they
// are, or where AsSealed says so as the block has sealed them.
func (t *Traced) Visit(visit func(source string, r *trace.Record) error) error {
	return t.Each(func(r *trace.Record) error { return visit(t.Set.Sources[r.Place.Source()].Name, r) })
}

// Listed is how many records Visit visits where all are kept.
func (t *Traced) Listed() int { return t.Records }
