package overlay

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
)

// target is the cell of the result that a cell of a form is added to; ok is false where there is none.
func (f *form) target(g *grid, cell int) (to int, ok bool) {
	if f.to == nil {
		return 0, false
	}
	b, row, column := f.layout.place(cell)
	r, c := f.to[Rows][b][row], f.to[Columns][b][column]
	if r < 0 || c < 0 {
		return 0, false
	}
	return g.blocks[b].offset + r*len(g.blocks[b].columns) + c, true
}

// tell tells what is to be said of cells and forms.
func (r *run) tell(ctx context.Context) error {
	for _, w := range r.workers {
		for i := range w.bad {
			r.tellBad(&w.bad[i])
		}
	}
	usual := r.usualFilled()
	for i, f := range r.forms {
		r.tellForm(f, &r.given[i], usual)
	}
	r.tellNotAdded()
	counts := func(i int) bool { return r.given[i].Used > 0 }
	if err := tally.TellFiled(r.set, counts, &r.findings); err != nil {
		return err
	}
	return r.tellTwins(ctx)
}

func (r *run) about(f *form, kind finding.Kind, format string, arguments ...any) finding.Finding {
	of := &r.set.Sources[f.source]
	return finding.Finding{Kind: kind, Source: of.Name, Sheet: of.Sheet(), Order: f.source,
		Message: fmt.Sprintf(format, arguments...)}
}

// what says what stands in a cell that holds no amount.
func (b *badCell) what() string {
	switch b.state {
	case failed:
		if b.text == sheet.NoResult {
			return "a formula without a stored result"
		}
		return fmt.Sprintf("the error %s", b.text)
	case dated:
		return fmt.Sprintf("the date %s", b.text)
	case flag:
		return fmt.Sprintf("%s, which is true or false", b.text)
	}
	return fmt.Sprintf("the text %q", b.text)
}

// tellBad tells of a cell of figures that holds something else.
func (r *run) tellBad(b *badCell) {
	to, ok := b.form.target(r.grid, b.cell)
	if !ok {
		return // its line was told of
	}
	block, row, column := r.grid.place(to)
	if !r.holdsFigures(block, row, column) {
		return
	}
	at, letters := b.form.layout.address(b.cell)
	of := &r.grid.blocks[block]
	what := b.what()
	if _, err := amount.Parse([]byte(b.text), '.'); err == nil && b.state == textual {
		what += ", a number typed as text"
	}
	told := r.about(b.form, finding.BadValue, "%s (%q, %q) holds %s, where others have an amount; it was not added",
		Address(at, letters), of.rows[row].label(), of.columns[column].label(), what)
	told.Line, told.Column, told.Found = at, sheet.ColumnLetters(letters), b.text
	r.findings.Add(told)
}

// usualFilled is how many cells most forms of a layout have filled, by layout; of fewer than three none is usual.
func (r *run) usualFilled() map[*layout]int {
	const fewest = 3
	counts := make(map[*layout]map[int]int)
	for _, f := range r.forms {
		if f.to == nil || f.read == f.blank {
			continue
		}
		of := r.shapeOf(f)
		if counts[of] == nil {
			counts[of] = make(map[int]int)
		}
		counts[of][f.read-f.blank]++
	}
	usual := make(map[*layout]int)
	for of, by := range counts {
		total, best := 0, 0
		for filled, n := range by {
			total += n
			if n > by[best] || n == by[best] && filled > best {
				best = filled
			}
		}
		if total >= fewest && 2*by[best] > total {
			usual[of] = best
		}
	}
	return usual
}

// shapeOf is the layout that forms are compared by: by position all are alike.
func (r *run) shapeOf(f *form) *layout {
	if r.most != nil {
		return r.most
	}
	return f.layout
}

// tellForm tells what is to be said of a form as a whole.
func (r *run) tellForm(f *form, g *given, usual map[*layout]int) {
	if f.dropped {
		return
	}
	switch {
	case f.locked:
		r.findings.Add(r.about(f, finding.ProtectedFile, "the file is protected by a password, so that nothing of it "+
			"was added; have it saved without one"))
		return
	case f.binary != "":
		r.findings.Add(r.about(f, finding.NoText, "holds %s, and no text; it was passed over", f.binary))
		return
	case f.layout == nil || f.numbers+f.ratios == 0:
		r.findings.Add(r.about(f, finding.EmptyForm, "the form has no figure; ask for it again"))
		return
	}
	if f.isOutside {
		told := r.about(f, finding.FiguresOutside,
			"its figures are in %s, and those of most forms in %s; what is outside "+
				"was not added", addressOf(&f.area), addressOf(&r.hull))
		told.Found, told.Expected = addressOf(&f.area), addressOf(&r.hull)
		r.findings.Add(told)
	}
	filled := f.read - f.blank
	if most, ok := usual[r.shapeOf(f)]; ok && filled != most {
		told := r.about(f, finding.FilledDiffers, "%d cells are filled, and %d in most forms", filled, most)
		told.Found, told.Expected = fmt.Sprint(filled), fmt.Sprint(most)
		r.findings.Add(told)
	}
	var hidden []string
	if f.hidden != "" {
		hidden = append(hidden, f.hidden)
	}
	if f.hiddenRows > 0 {
		hidden = append(hidden, words.Count(f.hiddenRows, "row"))
	}
	if hidden != nil {
		r.findings.Add(r.about(f, finding.HiddenCells, "hidden: %s; what is in them was added like the rest",
			strings.Join(hidden, ", ")))
	}
	if f.unclear != "" {
		told := r.about(f, finding.DecimalUnclear,
			"%q can be read with a decimal point or a decimal comma, and no other "+
				"figure tells; say it with ⟨decimal⟩", f.unclear)
		told.Found = f.unclear
		r.findings.Add(told)
	}
	if f.guessed != "" {
		r.findings.Add(r.about(f, finding.EncodingGuessed,
			"its text is no UTF-8 and was read as %s; if letters are wrong, "+
				"say ⟨encoding⟩", f.guessed))
	}
	if more := f.badCount - f.kept; more > 0 {
		told := r.about(f, finding.BadValue, "%s more hold no amount", words.Count(more, "cell"))
		told.Count, told.Rest = more, true
		r.findings.Add(told)
	}
}

// tellNotAdded tells of lines of percentages, and of remarks among figures.
func (r *run) tellNotAdded() {
	var keys [][3]int
	for key := range r.sum.ratios {
		keys = append(keys, key)
	}
	slices.SortFunc(keys, func(a, b [3]int) int { return slices.Compare(a[:], b[:]) })
	for _, key := range keys {
		axis := Axis(key[0])
		l := &r.grid.blocks[key[1]].lines(axis)[key[2]]
		n := r.sum.ratios[key]
		r.findings.Add(finding.Finding{Kind: finding.NotAdded, Key: axis.String() + " " + l.label(), Count: n,
			Message: fmt.Sprintf("%s %q holds percentages or fractions, %s, which were not added; ⟨also⟩ %q adds them",
				axis,
				l.label(), words.Count(n, "cell"), l.label())})
	}
	for b := range r.grid.blocks {
		for _, axis := range []Axis{Rows, Columns} {
			for i, of := range r.roles[axis][b] {
				if l := &r.grid.blocks[b].lines(axis)[i]; of.texts && !of.numbers {
					r.findings.Add(finding.Finding{Kind: finding.NotAdded, Key: axis.String() + " " + l.label(),
						Message: fmt.Sprintf("%s %q holds texts and no figure in any form; it was not added", axis,
							l.label())})
				}
			}
		}
	}
}

// own counts and adds up the figures of a form that are no sums of others.
func (r *run) own(f *form) (figures int, total amount.Amount, err error) {
	var sum amount.Sum
	err = r.eachOf(f, func(c *Contribution) error {
		if !slices.ContainsFunc(r.footings, func(of *footing) bool {
			return of.block == c.Block && of.total == [2]int{Rows: c.Row, Columns: c.Column}[of.axis]
		}) {
			figures++
			sum.Add(c.Amount)
		}
		return nil
	})
	return figures, sum.Amount(), err
}

// tellTwins tells which forms are the same bytes, as one branch's form that was sent under the name of another.
func (r *run) tellTwins(ctx context.Context) error {
	alike := make(map[[2]uint64]int)
	for _, f := range r.forms {
		if f.to != nil && f.numbers > 0 {
			alike[[2]uint64{f.print, f.places}]++
		}
	}
	byIndex := make(map[int]*form)
	for _, f := range r.forms {
		byIndex[f.source] = f
	}
	twins, err := r.set.Twins(ctx, r.reading.Jobs, func(index int) bool {
		f := byIndex[index]
		return f != nil && f.to != nil && alike[[2]uint64{f.print, f.places}] > 1
	})
	if err != nil {
		return err
	}
	slices.SortFunc(twins, func(a, b []int) int { return cmp.Compare(a[0], b[0]) })
	for _, same := range twins {
		told, err := tally.SameFile(r.set, same, tally.SameBytes, r.set.FilePrint)
		if err != nil {
			return err
		}
		f := byIndex[same[0]]
		figures, total, err := r.own(f)
		if err != nil {
			return err
		}
		told.Count = (len(same) - 1) * figures
		total = total.Mul(amount.New(int64(len(same)-1), 0))
		told.Amount = total.String()
		told.Message += fmt.Sprintf("; %s of %s in all are counted twice", words.Count(told.Count, "figure"),
			total.Money())
		r.findings.Add(told)
	}
	return nil
}

// spot is where a cell of the result stands in a form; ok is false where the form has no such cell.
func (f *form) spot(g *grid, cell int) (row, column int, ok bool) {
	b, r, c := g.place(cell)
	i, k := slices.Index(f.to[Rows][b], r), slices.Index(f.to[Columns][b], c)
	if i < 0 || k < 0 {
		return 0, 0, false
	}
	block := &f.layout.blocks[b]
	return block.rows[i].at, block.columns[k].at, true
}
