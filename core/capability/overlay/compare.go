package overlay

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/core/value/equality"
	"lastblock/core/value/words"
)

// assign tells what is wrong with the layout of a form, and takes out of the reckoning the lines of which nobody has
// accepted it.
func (r *run) assign(f *form) {
	if f.to = f.layout.to; len(f.layout.problems) == 0 {
		return
	}
	accepted := make([]byte, len(f.layout.problems))
	for i, p := range f.layout.problems {
		told := p.tell(f)
		of := &r.set.Sources[f.source]
		told.Source, told.Sheet, told.Order = of.Name, of.Sheet(), f.source
		r.findings.Add(told)
		if r.options.isAccepted(&told) {
			accepted[i] = 1
		}
	}
	l := f.layout
	if l.mappings == nil {
		l.mappings = make(map[string]*mapping)
	}
	if l.mappings[string(accepted)] == nil {
		l.mappings[string(accepted)] = l.without(accepted)
	}
	f.to = l.mappings[string(accepted)]
}

// without is the mapping of a layout without the lines of problems that were not accepted.
func (l *layout) without(accepted []byte) *mapping {
	m := new(mapping)
	for axis := range l.to {
		for _, to := range l.to[axis] {
			m[axis] = append(m[axis], slices.Clone(to))
		}
	}
	for i, p := range l.problems {
		if accepted[i] == 1 {
			continue
		}
		for _, n := range p.lines {
			m[p.axis][p.block][n] = -1
		}
	}
	return m
}

// compare holds the labels of a layout against those that most forms have.
func (r *run) compare(l *layout) {
	for b := range l.blocks {
		for _, axis := range []Axis{Rows, Columns} {
			mine, theirs := l.blocks[b].lines(axis), r.most.blocks[b].lines(axis)
			var differing []int
			for i := range mine {
				if r.keyOf(&mine[i]) != r.keyOf(&theirs[i]) {
					differing = append(differing, i)
				}
			}
			if by := r.shift(mine, theirs, differing); by != 0 {
				l.problems = append(l.problems, r.shifted(l, b, axis, differing, by))
				continue
			}
			for _, i := range differing {
				l.problems = append(l.problems, r.differing(l, b, axis, i))
			}
		}
	}
}

// fewestShifted is how many labels in one place say that a line was put in or left out before them.
const fewestShifted = 2

// shift is by how many lines labels stand further on than those of most forms; 0 where they do not.
func (r *run) shift(mine, theirs []line, differing []int) int {
	const most = 10
	if len(differing) < fewestShifted {
		return 0
	}
	best, count := 0, 0
	for by := -most; by <= most; by++ {
		n := 0
		for _, i := range differing {
			if from := i - by; by != 0 && 0 <= from && from < len(theirs) && mine[i].isLabelled() &&
				r.keyOf(&mine[i]) == r.keyOf(&theirs[from]) {
				n++
			}
		}
		if n > count {
			best, count = by, n
		}
	}
	if count < fewestShifted || 2*count < len(differing) {
		return 0
	}
	return best
}

// shifted is the problem that lines stand further on, or back, than in most forms.
func (r *run) shifted(l *layout, block int, axis Axis, differing []int, by int) problem {
	mine, theirs := l.blocks[block].lines(axis), r.most.blocks[block].lines(axis)
	way := map[Axis][2]string{Rows: {"higher", "lower"}, Columns: {"further left", "further right"}}[axis]
	at := slices.IndexFunc(differing, func(i int) bool {
		from := i - by
		return 0 <= from && from < len(theirs) && r.keyOf(&mine[i]) == r.keyOf(&theirs[from])
	})
	i := differing[at]
	to, n := way[1], by
	if by < 0 {
		to, n = way[0], -by
	}
	return problem{axis, block, differing, func(f *form) finding.Finding {
		first, last := &mine[differing[0]], &mine[differing[len(differing)-1]]
		one := &theirs[i-by]
		told := finding.Finding{Kind: finding.LabelDiffers, Key: axis.String() + "s", Count: len(differing),
			Expected: one.label(), Found: placeOf(&mine[i])}
		told.Line, told.Column = spot(axis, first)
		told.Message = fmt.Sprintf("%ss %s to %s are %s %s than in %s: %s says %q, which they have in %s; these "+
			"figures "+
			"were not added", axis, nameOf(axis, first.at), nameOf(axis, last.at), words.Count(n, axis.String()), to,
			r.others(), placeOf(&mine[i]), mine[i].label(), placeOf(one))
		return told
	}}
}

// differing is the problem that a label is not that of most forms.
func (r *run) differing(l *layout, block int, axis Axis, i int) problem {
	mine, theirs := &l.blocks[block].lines(axis)[i], &r.most.blocks[block].lines(axis)[i]
	return problem{axis, block, []int{i}, func(f *form) finding.Finding {
		told := finding.Finding{Kind: finding.LabelDiffers, Key: axis.String() + " " + nameOf(axis, mine.at),
			Expected: theirs.label(), Found: mine.label()}
		told.Line, told.Column = spot(axis, mine)
		says := fmt.Sprintf("%s says %q", placeOf(mine), mine.label())
		if !mine.isLabelled() {
			says = fmt.Sprintf("%s %s has no label", axis, nameOf(axis, mine.at))
		}
		has := fmt.Sprintf("%s has %q in %s", r.others(), theirs.label(), placeOf(theirs))
		if r.most.forms > 1 {
			has = strings.Replace(has, " has ", " have ", 1)
		}
		if !theirs.isLabelled() {
			has = fmt.Sprintf("the label is blank in %s", r.others())
		}
		told.Message = fmt.Sprintf("%s, where %s; the figures of this %s were not added%s%s", says, has, axis,
			looseHint(mine.levels, theirs.levels), r.orderHint(mine, r.most.blocks[block].lines(axis)))
		return told
	}}
}

// orderHint says where most forms have the label of a line, and what has forms of another order meet; "" where they do
// not have it.
func (r *run) orderHint(mine *line, theirs []line) string {
	key := r.keyOf(mine)
	at := slices.IndexFunc(theirs, func(l line) bool { return r.keyOf(&l) == key })
	if at < 0 || !mine.isLabelled() {
		return ""
	}
	return fmt.Sprintf("; there %q is in %s, and with ⟨labels⟩ forms of another order meet", mine.label(),
		placeOf(&theirs[at]))
}

// looseHint says what would make two labels one, "" where nothing does.
func looseHint(a, b []string) string {
	for _, l := range []struct {
		loose equality.Loose
		words string
	}{
		{equality.Loose{Blanks: true}, "blanks"}, {equality.Loose{Case: true}, "case"},
		{equality.Loose{Blanks: true, Case: true}, "blanks,case"},
		{equality.Loose{Blanks: true, Case: true, Punctuation: true}, "blanks,case,punctuation"},
	} {
		same := func(x, y string) bool {
			return string(l.loose.Append(nil, []byte(x))) == string(l.loose.Append(nil, []byte(y)))
		}
		if slices.EqualFunc(a, b, same) {
			return "; ⟨loose⟩ " + l.words + " takes these labels as one"
		}
	}
	return ""
}

// others are the forms that most are like, as a message calls them.
func (r *run) others() string {
	if r.most.forms == 1 {
		return r.set.Sources[r.most.first].Name
	}
	return fmt.Sprintf("%d other forms", r.most.forms)
}

// unlabelled is the problem that a line of figures has no label.
func (r *run) unlabelled(l *layout, axis Axis, i int) problem {
	of := &l.blocks[0].lines(axis)[i]
	return problem{axis, 0, []int{i}, func(*form) finding.Finding {
		told := finding.Finding{Kind: finding.NoLabel, Key: axis.String() + " " + nameOf(axis, of.at)}
		told.Line, told.Column = spot(axis, of)
		told.Message = fmt.Sprintf("%s %s holds figures and has no label; they were not added", axis,
			nameOf(axis, of.at))
		return told
	}}
}

// repeated is the problem that a label stands twice.
func (r *run) repeated(l *layout, axis Axis, first, second int) problem {
	a, b := &l.blocks[0].lines(axis)[first], &l.blocks[0].lines(axis)[second]
	return problem{axis, 0, []int{first, second}, func(*form) finding.Finding {
		told := finding.Finding{Kind: finding.DuplicateLabel, Key: axis.String() + " " + a.label(),
			Found: placeOf(a) + ", " + placeOf(b)}
		told.Line, told.Column = spot(axis, b)
		told.Message = fmt.Sprintf("%s and %s both say %q, so that nobody knows to which %s of the others their "+
			"figures belong; they were not added. A level of labels above can tell them apart, as in ⟨labels⟩ A:B,6",
			placeOf(a), placeOf(b), a.label(), axis)
		return told
	}}
}

// placeOf is where the label of a line stands.
func placeOf(l *line) string {
	if l.row == 0 {
		return "no cell"
	}
	return Address(l.row, l.column)
}

// spot is where a finding about a line is: in the cell of its label, or else in the line.
func spot(axis Axis, l *line) (row int, column string) {
	switch {
	case l.row > 0:
		return l.row, sheet.ColumnLetters(l.column)
	case axis == Rows:
		return l.at, ""
	}
	return 0, sheet.ColumnLetters(l.at)
}

// nameOf is what a row, or a column, is called.
func nameOf(axis Axis, at int) string {
	if axis == Rows {
		return fmt.Sprint(at)
	}
	return sheet.ColumnLetters(at)
}

// tellLabels tells labels that few forms have, and those that are nearly equal.
func (r *run) tellLabels() {
	total := 0
	for _, l := range r.layouts {
		total += l.forms
	}
	const few = 4 // one of so many
	for _, axis := range []Axis{Rows, Columns} {
		lines := r.grid.blocks[0].lines(axis)
		for i := range lines {
			l := &lines[i]
			if l.forms == total || l.forms > max(1, total/few) {
				continue
			}
			f := finding.Finding{Kind: finding.RareLabel, Source: r.set.Sources[l.first].Name, Order: l.first,
				Sheet: r.set.Sources[l.first].Sheet(), Key: axis.String() + " " + l.label(), Count: l.forms,
				Found: fmt.Sprint(l.forms), Expected: fmt.Sprint(total)}
			f.Message = fmt.Sprintf("%s %q is in %d of %s only", axis, l.label(), l.forms, words.Count(total, "form"))
			if near := r.nearly(axis, i); near >= 0 {
				f.Kind = finding.SimilarLabel
				f.Message += fmt.Sprintf(", and nearly like %q, which it was not added to%s", lines[near].label(),
					looseHint(l.levels, lines[near].levels))
			}
			r.findings.Add(f)
		}
	}
}

// nearly is a line with a label that is nearly that of another one, and which no form has beside it; -1 for none.
func (r *run) nearly(axis Axis, of int) int {
	lines := r.grid.blocks[0].lines(axis)
	for i := range lines {
		isUsual := lines[i].forms > lines[of].forms || lines[i].forms == lines[of].forms && i < of
		if i != of && isUsual && isNearly(lines[i].levels, lines[of].levels) &&
			!r.together(axis, i, of) {
			return i
		}
	}
	return -1
}

// together tells whether some form has both of two lines.
func (r *run) together(axis Axis, a, b int) bool {
	return slices.ContainsFunc(r.layouts, func(l *layout) bool {
		return slices.Contains(l.to[axis][0], a) && slices.Contains(l.to[axis][0], b)
	})
}

// isNearly tells whether two labels are equal but for blanks, case and signs, or for one letter of a longer word.
func isNearly(a, b []string) bool {
	all := equality.Loose{Blanks: true, Case: true, Zeros: true, Punctuation: true}
	x, y := all.Append(nil, []byte(labelOf(a))), all.Append(nil, []byte(labelOf(b)))
	return string(x) == string(y) || oneLetter(string(x), string(y))
}

// oneLetter tells whether one text becomes the other by one letter more, less or other than it has.
func oneLetter(a, b string) bool {
	const shortest = 5
	x, y := []rune(a), []rune(b)
	if len(x) > len(y) {
		x, y = y, x
	}
	if len(x) < shortest || len(y)-len(x) > 1 {
		return false
	}
	i := 0
	for i < len(x) && x[i] == y[i] {
		i++
	}
	isDigit := func(c rune) bool { return '0' <= c && c <= '9' }
	if len(x) == len(y) {
		return i < len(x) && !isDigit(x[i]) && !isDigit(y[i]) && slices.Equal(x[i+1:], y[i+1:])
	}
	return !isDigit(y[i]) && slices.Equal(x[i:], y[i+1:])
}
