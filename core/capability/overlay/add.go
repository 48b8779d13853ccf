package overlay

import (
	"context"
	"errors"
	"slices"
	"sync/atomic"

	"lastblock/core/value/amount"

	"golang.org/x/sync/errgroup"
)

// Counts are the cells of one form, or of all: what was read is what was used, blank, in suspense, not added and
// dropped.
type Counts struct {
	Read, Used, Blank, Suspense int
	NotAdded                    int // percentages, fractions and remarks
	Dropped                     int // of forms that somebody has decided to leave out
}

func (c *Counts) add(o *Counts) {
	c.Read += o.Read
	c.Used += o.Used
	c.Blank += o.Blank
	c.Suspense += o.Suspense
	c.NotAdded += o.NotAdded
	c.Dropped += o.Dropped
}

// sums are the sums of the amounts of a form, or of all, that go with its counts.
type sums struct{ read, used, suspense, notAdded, dropped amount.Sum }

func (s *sums) add(o *sums) {
	s.read.Merge(&o.read)
	s.used.Merge(&o.used)
	s.suspense.Merge(&o.suspense)
	s.notAdded.Merge(&o.notAdded)
	s.dropped.Merge(&o.dropped)
}

// given is what a form gave.
type given struct {
	Counts
	sums
	badUnread int // cells in suspense that hold no amount
}

// role says whether a line of the result holds figures.
type role struct{ numbers, plain, ratios, texts, also bool }

// adder adds up forms on one goroutine.
type adder struct {
	run    *run
	totals []amount.Sum
	from   []int // forms that gave a figure, by cell
	cells  []value
	one    bool           // only the cells of single forms are asked for, and nothing is counted
	ratios map[[3]int]int // percentages that were not added, by axis, block and line
	votes  []vote         // by footing
	room   []byte

	lanes              map[laneKey]*lane
	each, vector, work []int64
}

// add adds up the figures of all forms.
func (r *run) add(ctx context.Context) error {
	r.findRoles()
	if err := r.suppose(); err != nil {
		return err
	}
	r.given = make([]given, len(r.forms))
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	jobs := max(1, min(r.reading.Jobs, len(r.forms)))
	adders := make([]*adder, jobs)
	for i := range adders {
		a := r.newAdder()
		adders[i] = a
		group.Go(func() error {
			for {
				n := int(next.Add(1)) - 1
				if n >= len(r.forms) || ctx.Err() != nil {
					return ctx.Err()
				}
				if err := a.add(n); err != nil {
					return err
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for _, a := range adders {
		for _, l := range a.lanes {
			if l != nil {
				a.putDown(l)
			}
		}
	}
	all := adders[0]
	for _, a := range adders[1:] {
		all.join(a)
	}
	r.sum = all
	return nil
}

func (r *run) newAdder() *adder {
	return &adder{run: r, totals: make([]amount.Sum, r.grid.cells), from: make([]int, r.grid.cells),
		cells: make([]value, r.grid.cells), ratios: make(map[[3]int]int), votes: make([]vote, len(r.footings))}
}

func (a *adder) join(o *adder) {
	for i := range a.totals {
		a.totals[i].Merge(&o.totals[i])
		a.from[i] += o.from[i]
	}
	for key, n := range o.ratios {
		a.ratios[key] += n
	}
	for i := range a.votes {
		a.votes[i].join(&o.votes[i])
	}
}

// findRoles finds out which lines of the result hold figures, and which only remarks.
func (r *run) findRoles() {
	for i := range r.grid.blocks {
		b := &r.grid.blocks[i]
		r.roles[Rows] = append(r.roles[Rows], make([]role, len(b.rows)))
		r.roles[Columns] = append(r.roles[Columns], make([]role, len(b.columns)))
	}
	for _, f := range r.forms {
		if f.to == nil || f.layout.counted {
			continue
		}
		f.layout.counted = true // once for all forms of a layout
		for axis, blocks := range f.layout.to {
			for b, to := range blocks {
				for i, n := range to {
					if n < 0 {
						continue
					}
					of, l := &r.roles[axis][b][n], &f.layout.blocks[b].lines(Axis(axis))[i]
					of.numbers, of.plain = of.numbers || l.numbers, of.plain || l.plain
					of.ratios, of.texts = of.ratios || l.ratios, of.texts || l.texts
				}
			}
		}
	}
	for _, axis := range []Axis{Rows, Columns} {
		for b := range r.grid.blocks {
			for i := range r.grid.blocks[b].lines(axis) {
				l := &r.grid.blocks[b].lines(axis)[i]
				r.roles[axis][b][i].also = slices.ContainsFunc(r.options.Also, func(label string) bool {
					return label == l.label() || label == l.levels[len(l.levels)-1]
				})
			}
		}
	}
}

// holdsFigures tells whether a cell of the result is one of figures: some form has a number in its row, and in its
// column.
func (r *run) holdsFigures(block, row, column int) bool {
	return r.roles[Rows][block][row].numbers && r.roles[Columns][block][column].numbers
}

// add adds up a form.
func (a *adder) add(n int) error {
	f, g := a.run.forms[n], &a.run.given[n]
	if a.one {
		g = new(given) // the form was counted, or is yet to be
	}
	if f.layout == nil {
		return nil
	}
	data, err := f.values.read(&a.room)
	if err != nil {
		return err
	}
	if d, ok := takeDense(data); ok && f.to != nil && !a.one && a.addDense(f, g, &d) {
		if f.blank == 0 && len(a.run.grid.blocks) > 0 {
			a.judgeDense(n, f, &d)
			return nil
		}
		return a.judgeSpread(n, f, &d)
	}
	clear(a.cells)
	values := newReader(data)
	for b := range f.layout.blocks {
		if err = a.addBlock(f, g, b, values); err != nil {
			return err
		}
	}
	if f.to == nil {
		return nil
	}
	for i, footing := range a.run.footings {
		foots, fails := footing.judge(a.run.grid, a.cells)
		a.votes[i].count(n, foots, fails)
	}
	return nil
}

// judgeDense counts in how many cells a dense form foots that has all cells of the result.
func (a *adder) judgeDense(n int, f *form, d *dense) {
	if len(a.run.footings) == 0 {
		return
	}
	l := a.laneOf(f, d.scale)
	if len(l.cells) < a.run.grid.cells {
		a.judgeSpread(n, f, d) // without lines that others have
		return
	}
	if a.vector == nil {
		a.vector, a.work = make([]int64, a.run.grid.cells), make([]int64, a.run.grid.cells)
	}
	vector := a.each
	if !l.same {
		vector = a.vector
		for i, cell := range l.cells {
			vector[cell] = a.each[i]
		}
	}
	for i, footing := range a.run.footings {
		foots, fails := footing.judgeDense(a.run.grid, vector, a.work)
		a.votes[i].count(n, foots, fails)
	}
}

// judgeSpread is that for any dense form.
func (a *adder) judgeSpread(n int, f *form, d *dense) error {
	l := a.laneOf(f, d.scale)
	clear(a.cells)
	for i, cell := range l.cells {
		a.cells[cell] = d.value(i)
	}
	for i, footing := range a.run.footings {
		foots, fails := footing.judge(a.run.grid, a.cells)
		a.votes[i].count(n, foots, fails)
	}
	return nil
}

func (a *adder) addBlock(f *form, g *given, b int, values *reader) error {
	block := &f.layout.blocks[b]
	for row := range block.rows {
		for column := range block.columns {
			v, err := values.next()
			if err != nil {
				return err
			}
			if g.Read++; v.state == blank {
				g.Blank++
				continue
			}
			if f.to == nil {
				g.Dropped++
				add(&g.read, &v)
				add(&g.dropped, &v)
				continue
			}
			a.addCell(g, b, f.to[Rows][b][row], f.to[Columns][b][column], &v)
		}
	}
	return nil
}

func add(to *amount.Sum, v *value) {
	if v.state != number && v.state != ratio {
		return
	}
	if coefficient, scale, ok := v.amount.Plain(); !ok || !to.AddPlain(coefficient, scale) {
		to.Add(v.amount)
	}
}

// addCell adds a cell that is not blank to the one of the result that it belongs to; row or column are -1 where there
// is none.
func (a *adder) addCell(g *given, b, row, column int, v *value) {
	add(&g.read, v)
	if row < 0 || column < 0 {
		g.Suspense++
		add(&g.suspense, v)
		return
	}
	r := a.run
	to := &r.grid.blocks[b]
	cell := to.offset + row*len(to.columns) + column
	before := a.cells[cell]
	a.cells[cell] = *v
	if before.state == number && v.state == number { // of a label that stands twice, which was accepted
		a.cells[cell].amount = before.amount.Add(v.amount)
	}
	switch {
	case v.state == number, v.state == ratio && (r.roles[Rows][b][row].also || r.roles[Columns][b][column].also):
		a.cells[cell].state = number
		g.Used++
		add(&g.used, v)
		add(&a.totals[cell], v)
		a.from[cell]++
	case v.state == ratio:
		g.NotAdded++
		add(&g.notAdded, v)
		a.ratios[r.ratioLine(b, row, column)]++
	case r.holdsFigures(b, row, column):
		g.Suspense++
		g.badUnread++
	default:
		g.NotAdded++
	}
}

// ratioLine is the line that percentages are told of: one that holds nothing else.
func (r *run) ratioLine(b, row, column int) [3]int {
	if r.roles[Rows][b][row].plain && !r.roles[Columns][b][column].plain {
		return [3]int{int(Columns), b, column}
	}
	return [3]int{int(Rows), b, row}
}

// errProof says that not all that was read has gone somewhere: an internal error.
var errProof = errors.New("internal error: the cells that were read are not those that were used, blank, in " +
	"suspense, not added and dropped. Nothing was written; please report this")

// check makes sure that every cell that was read has gone somewhere, and every amount.
func (r *run) check() (all given, err error) {
	for i, f := range r.forms {
		g := &r.given[i]
		if g.Read != g.Used+g.Blank+g.Suspense+g.NotAdded+g.Dropped || g.Read != f.read || g.Blank != f.blank ||
			!equal(&f.total, &g.read) || !equal(&g.read, &g.used, &g.suspense, &g.notAdded, &g.dropped) {
			return all, errProof
		}
		all.Counts.add(&g.Counts)
		all.sums.add(&g.sums)
		all.badUnread += g.badUnread
	}
	var used amount.Sum
	figures := 0
	for i := range r.sum.totals {
		used.Merge(&r.sum.totals[i])
		figures += r.sum.from[i]
	}
	if !equal(&all.used, &used) || figures != all.Used {
		return all, errProof
	}
	return all, nil
}

// equal tells whether a sum is what others come to.
func equal(whole *amount.Sum, parts ...*amount.Sum) bool {
	var sum amount.Sum
	for _, part := range parts {
		sum.Merge(part)
	}
	return whole.Amount().Cmp(sum.Amount()) == 0
}
