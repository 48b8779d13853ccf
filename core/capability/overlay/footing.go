package overlay

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
	"lastblock/core/value/words"
)

// footing is a row or a column that is the sum of others.
type footing struct {
	axis  Axis
	block int
	total int   // its line
	parts []int // the lines that it sums up
	named bool
}

// vote counts in how many cells a footing foots, and remembers the forms in which it does not.
type vote struct {
	foots, fails int // cells
	forms        int // in which all foot
	failing      []int32
}

func (v *vote) join(o *vote) {
	v.foots, v.fails, v.forms = v.foots+o.foots, v.fails+o.fails, v.forms+o.forms
	v.failing = append(v.failing, o.failing...)
}

func (v *vote) count(form, foots, fails int) {
	v.foots, v.fails = v.foots+foots, v.fails+fails
	switch {
	case fails > 0:
		v.failing = append(v.failing, int32(form))
	case foots > 0:
		v.forms++
	}
}

// isFound tells whether a line is the sum of others, as so many of its cells say: all of them, or as many more than do
// not that these are wrong. Of a line that is not called a total that takes more than a few, which may be so by chance.
func (r *run) isFound(f *footing, foots, fails int) bool {
	const enough = 8
	label := r.grid.blocks[f.block].lines(f.axis)[f.total].label()
	return foots > 0 && (fails == 0 || foots >= 2*fails && (foots >= enough || source.IsTotalWord(label)))
}

// cell is the cell of a line and one that crosses it.
func (f *footing) cell(g *grid, line, cross int) int {
	b := &g.blocks[f.block]
	if f.axis == Rows {
		return b.offset + line*len(b.columns) + cross
	}
	return b.offset + cross*len(b.columns) + line
}

// crossing is how many lines cross it.
func (f *footing) crossing(g *grid) int { return len(g.blocks[f.block].lines(1 - f.axis)) }

// difference is the total in a line that crosses, less its parts, zero where these differ by no more than floating
// point makes of them; isThere is false where a form has neither.
func (f *footing) difference(g *grid, cells []value, cross int) (by amount.Amount, isThere bool) {
	var sum amount.Sum
	at := func(line int) *value { return &cells[f.cell(g, line, cross)] }
	total, size := at(f.total), floating{}
	size.add(total)
	if total.state == ratio {
		return by, false
	}
	isThere = total.state == number
	for _, part := range f.parts {
		if v := at(part); v.state == number {
			isThere = true
			add(&sum, v)
			size.add(v)
		}
	}
	value := amount.Amount{}
	if total.state == number {
		value = total.amount
	}
	if by = value.Sub(sum.Amount()); size.holds(by) {
		by = amount.Amount{}
	}
	return by, isThere
}

// judge tells in how many cells a form foots.
func (f *footing) judge(g *grid, cells []value) (foots, fails int) {
	for cross := range f.crossing(g) {
		switch by, isThere := f.difference(g, cells, cross); {
		case isThere && by.Sign() != 0:
			fails++
		case isThere:
			foots++
		}
	}
	return foots, fails
}

// What is looked at to find sums: some forms, and for each line so many others beside it.
const (
	supposedForms = 8
	mostParts     = 400
)

// suppose finds out which lines may be sums of others, by some forms, and takes in those that are named.
func (r *run) suppose() error {
	samples, err := r.samples()
	if err != nil {
		return err
	}
	for b := range r.grid.blocks {
		for _, axis := range []Axis{Rows, Columns} {
			r.supposeLines(b, axis, samples)
		}
	}
	for _, named := range r.options.Footing {
		if err := r.name(named); err != nil {
			return err
		}
	}
	return nil
}

// samples are the values of some forms, by the cells of the result.
func (r *run) samples() (samples [][]value, err error) {
	r.given = make([]given, len(r.forms))
	r.footings = nil
	step := max(1, len(r.forms)/supposedForms)
	for n := 0; n < len(r.forms); n += step {
		if r.forms[n].to == nil {
			continue
		}
		a := r.newAdder()
		a.one = true
		if err := a.add(n); err != nil {
			return nil, err
		}
		samples = append(samples, a.cells)
	}
	return samples, nil
}

// supposeLines supposes of the lines of a block which are sums of lines before them, or else behind them.
func (r *run) supposeLines(b int, axis Axis, samples [][]value) {
	n := len(r.grid.blocks[b].lines(axis))
	isTotal := make([]bool, n)
	for _, step := range []int{-1, 1} {
		for i := range n {
			total := i
			if step > 0 {
				total = n - 1 - i
			}
			if isTotal[total] || !r.roles[axis][b][total].numbers {
				continue
			}
			f := &footing{axis: axis, block: b, total: total}
			if r.findParts(f, step, isTotal, samples) {
				isTotal[total] = true
				r.footings = append(r.footings, f)
			}
		}
	}
}

// findParts finds the lines on one side of a line that it is the sum of, in most cells of the samples: as many as go
// together, without those that are sums themselves.
func (r *run) findParts(f *footing, step int, isTotal []bool, samples [][]value) bool {
	votes := make(map[int]int) // by the last line that is added
	speaking := 0
	for _, cells := range samples {
		speaking += f.vote(r.grid, cells, step, isTotal, votes)
	}
	best, most := -1, 0
	for last, n := range votes {
		isFurther := step < 0 && last < best || step > 0 && last > best
		if n > most || n == most && isFurther {
			best, most = last, n
		}
	}
	if !r.isFound(f, most, speaking-most) {
		return false
	}
	f.parts = nil
	for line := f.total + step; ; line += step {
		if !isTotal[line] && r.roles[f.axis][f.block][line].numbers {
			f.parts = append(f.parts, line)
		}
		if line == best {
			break
		}
	}
	slices.Sort(f.parts)
	return len(f.parts) > 1
}

// vote adds a vote for every line up to which the lines on one side come to the total, for each cell of it; it returns
// how many cells of the total are not zero.
func (f *footing) vote(g *grid, cells []value, step int, isTotal []bool, votes map[int]int) (speaking int) {
	crossing := f.crossing(g)
	sums, sizes := make([]amount.Sum, crossing), make([]floating, crossing)
	wide := make([]int, crossing) // parts that are not zero
	for cross := range crossing {
		v := &cells[f.cell(g, f.total, cross)]
		if v.state == number && v.amount.Sign() != 0 {
			speaking++
		}
		sizes[cross].add(v)
	}
	if speaking == 0 {
		return 0
	}
	n := len(isTotal)
	for line, count := f.total+step, 0; 0 <= line && line < n && count < mostParts; line, count = line+step, count+1 {
		if isTotal[line] {
			continue
		}
		for cross := range crossing {
			if v := &cells[f.cell(g, line, cross)]; v.state == number {
				add(&sums[cross], v)
				sizes[cross].add(v)
				if v.amount.Sign() != 0 {
					wide[cross]++
				}
			}
			total := &cells[f.cell(g, f.total, cross)]
			if wide[cross] > 1 && total.state == number && total.amount.Sign() != 0 &&
				sizes[cross].holds(total.amount.Sub(sums[cross].Amount())) {
				votes[line]++
			}
		}
	}
	return speaking
}

// name takes in a sum that is named. Where it was not found to be one, it is that of the lines before it, up to the
// sum before.
func (r *run) name(named Footing) error {
	var have []string
	for b := range r.grid.blocks {
		lines := r.grid.blocks[b].lines(named.Axis)
		for i := range lines {
			label := lines[i].label()
			have = append(have, label)
			if label != named.Label && lines[i].levels[len(lines[i].levels)-1] != named.Label {
				continue
			}
			at := slices.IndexFunc(r.footings, func(f *footing) bool {
				return f.axis == named.Axis && f.block == b && f.total == i
			})
			if at >= 0 {
				r.footings[at].named = true
				return nil
			}
			f := &footing{axis: named.Axis, block: b, total: i, named: true, parts: r.partsBefore(named.Axis, b, i)}
			if len(f.parts) == 0 {
				return option.Errorf("footing", "%s %q has no %ss before it that it could be the sum of", named.Axis,
					label, named.Axis)
			}
			r.footings = append(r.footings, f)
			return nil
		}
	}
	return option.Errorf("footing", "%w", nearest.Unknown(named.Axis.String(), named.Label, have))
}

func (r *run) partsBefore(axis Axis, b, total int) (parts []int) {
	isTotal := func(line int) bool {
		return slices.ContainsFunc(r.footings, func(f *footing) bool {
			return f.axis == axis && f.block == b && f.total == line
		})
	}
	for line := total - 1; line >= 0 && !isTotal(line); line-- {
		if r.roles[axis][b][line].numbers {
			parts = append(parts, line)
		}
	}
	slices.Reverse(parts)
	return parts
}

// foot tells the forms that do not foot, and whether the result does.
func (r *run) foot(context.Context) error {
	var kept []*footing
	for i, f := range r.footings {
		v := &r.sum.votes[i]
		if !f.named && !r.isFound(f, v.foots, v.fails) {
			continue
		}
		kept, r.foots = append(kept, f), append(r.foots, v.forms)
		slices.Sort(v.failing)
		for _, form := range v.failing {
			if err := r.tellFails(f, int(form)); err != nil {
				return err
			}
		}
	}
	r.footings = kept
	r.footResult()
	return nil
}

// tellFails tells where a form does not foot.
func (r *run) tellFails(footing *footing, n int) error {
	a := r.newAdder()
	a.one = true
	if err := a.add(n); err != nil {
		return err
	}
	f := r.forms[n]
	of := &r.set.Sources[f.source]
	for cross := range footing.crossing(r.grid) {
		by, isThere := footing.difference(r.grid, a.cells, cross)
		if !isThere || by.Sign() == 0 {
			continue
		}
		told := r.doesNotFoot(footing, cross, by, a.cells)
		told.Source, told.Sheet, told.Order = of.Name, of.Sheet(), f.source
		address := f.addresses(r.grid)
		told.Line, told.Column = r.spotIn(footing, cross, address)
		told.Message = address(footing.cell(r.grid, footing.total, cross)) + " " + told.Message
		if cells := r.explain(f, footing, cross, by, a.cells, address); cells != "" {
			told.Message += "; " + cells
		} else if by.DivisibleByNine() {
			told.Message += "; the difference is a multiple of nine, probably two digits transposed"
		}
		r.findings.Add(told)
	}
	return nil
}

// doesNotFoot is the finding that a sum of others is not what they come to.
func (r *run) doesNotFoot(f *footing, cross int, by amount.Amount, cells []value) finding.Finding {
	lines, others := r.grid.blocks[f.block].lines(f.axis), r.grid.blocks[f.block].lines(1-f.axis)
	total := amount.Amount{}
	if v := &cells[f.cell(r.grid, f.total, cross)]; v.state == number {
		total = v.amount
	}
	told := finding.Finding{Kind: finding.DoesNotFoot, Expected: total.Sub(by).String(), Found: total.String(),
		Difference: by.String(), Key: fmt.Sprintf("%s %s, %s %s", f.axis, lines[f.total].label(), 1-f.axis,
			others[cross].label())}
	parts := 0
	for _, part := range f.parts {
		if cells[f.cell(r.grid, part, cross)].state != blank {
			parts++
		}
	}
	told.Message = fmt.Sprintf("(%q, %q) is %s, and its %s come to %s: difference %s", lines[f.total].label(),
		others[cross].label(), total.Money(), words.Count(parts, f.axis.String()), total.Sub(by).Money(), by.Money())
	return told
}

// addresses tells where the cells of the result stand in a form.
func (f *form) addresses(g *grid) func(cell int) string {
	return func(cell int) string {
		if row, column, ok := f.spot(g, cell); ok {
			return Address(row, column)
		}
		return "a cell that is missing"
	}
}

// spotIn is the place of the total in a form, as a finding has it.
func (r *run) spotIn(f *footing, cross int, address func(cell int) string) (line int, column string) {
	row, at, ok := sheet.Reference(address(f.cell(r.grid, f.total, cross)))
	if !ok {
		return 0, ""
	}
	return row, sheet.ColumnLetters(at)
}

// explain names cells that could explain why a sum does not foot, "" for none.
func (r *run) explain(form *form, f *footing, cross int, by amount.Amount, cells []value,
	address func(cell int) string) string {
	const most = 3
	var all []string
	tell := func(cell int, format string, arguments ...any) {
		if len(all) < most {
			all = append(all, fmt.Sprintf("%s "+format, append([]any{address(cell)}, arguments...)...))
		}
	}
	isPart := make(map[int]bool)
	for _, part := range f.parts {
		cell := f.cell(r.grid, part, cross)
		isPart[part] = true
		switch v := &cells[cell]; {
		case v.state == textual:
			if bad := r.badIn(form, cell); bad != nil {
				tell(cell, "holds the text %q, which is not counted", bad.text)
			}
		case v.state != number:
		case v.amount.Cmp(by.Neg()) == 0 && v.amount.Sign() != 0:
			tell(cell, "is %s, and seems not to be in the sum", v.amount.Money())
		case v.amount.Add(v.amount).Cmp(by.Neg()) == 0 && v.amount.Sign() != 0:
			tell(cell, "is %s, and seems to be in the sum with the opposite sign", v.amount.Money())
		}
	}
	for line := range r.grid.blocks[f.block].lines(f.axis) {
		cell := f.cell(r.grid, line, cross)
		if v := &cells[cell]; line != f.total && !isPart[line] && v.state == number && v.amount.Cmp(by) == 0 {
			tell(cell, "is %s, and seems to be in the sum", v.amount.Money())
		}
	}
	return strings.Join(all, "; ")
}

// badIn is a cell of a form that holds no amount, by the cell of the result; nil where it was not kept.
func (r *run) badIn(f *form, cell int) *badCell {
	for _, w := range r.workers {
		for i := range w.bad {
			if b := &w.bad[i]; b.form == f {
				if to, ok := f.target(r.grid, b.cell); ok && to == cell {
					return b
				}
			}
		}
	}
	return nil
}

// footResult tells whether the result foots. It does where all forms do, and otherwise lacks what they lack together.
func (r *run) footResult() {
	cells := make([]value, r.grid.cells)
	for i := range cells {
		if r.sum.from[i] > 0 {
			cells[i] = value{state: number, amount: r.sum.totals[i].Amount()}
		}
	}
	var all []finding.Finding
	for _, f := range r.footings {
		for cross := range f.crossing(r.grid) {
			if by, isThere := f.difference(r.grid, cells, cross); isThere && by.Sign() != 0 {
				told := r.doesNotFoot(f, cross, by, cells)
				row, column := r.grid.address(f.cell(r.grid, f.total, cross))
				told.Message = Address(row, column) + " " + told.Message
				all = append(all, told)
			}
		}
	}
	if len(all) == 0 {
		return
	}
	told := all[0]
	told.Order, told.Key, told.Count = len(r.set.Sources), "the result", len(all)
	told.Message = fmt.Sprintf("the result does not foot in %s, because some forms do not: %s",
		words.Count(len(all), "sum"), told.Message)
	r.findings.Add(told)
}
