package reconcile

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding/proof"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
)

// Statement leads from the total per records to the total per reference: the first line is the one,
// the last line is the other, and the lines above the last add up to it, in counts
// and in amounts.
type Statement struct {
	By    []string // of which group, by Options.By; nil of all
	Lines []Line
}

// Line is a line of a statement.
type Line struct {
	Label   string
	Column  string // of what differs, "" where the line is not about a difference
	Pairs   int    // that a difference stands for
	Count   int    // records, signed
	Amounts []amount.Amount
}

// lineKind is a kind of line, in the order of a statement.
type lineKind struct {
	kind   kindOfLine
	total  int // of totals, for a difference
	reason Reason
}

type kindOfLine byte

const (
	lessHere kindOfLine = iota
	plusThere
	lessAmbiguous
	plusAmbiguous
	lessElsewhere
	plusElsewhere
	difference
)

// account is what a statement is made of.
type account struct {
	counts [2]int
	sums   [2][]amount.Sum // by totals
	lines  map[lineKind]*entry
}

// entry is what stands on a line.
type entry struct {
	count, pairs int
	sums         []amount.Sum
}

func (r *run) account() account {
	a := account{lines: make(map[lineKind]*entry)}
	for side := range a.sums {
		a.sums[side] = make([]amount.Sum, len(r.totals))
	}
	return a
}

func (a *account) line(kind lineKind) *entry {
	e := a.lines[kind]
	if e == nil {
		e = &entry{sums: make([]amount.Sum, len(a.sums[0]))}
		a.lines[kind] = e
	}
	return e
}

// merge takes in another account.
func (a *account) merge(o *account) {
	for side := range a.counts {
		a.counts[side] += o.counts[side]
		for i := range a.sums[side] {
			a.sums[side][i].Merge(&o.sums[side][i])
		}
	}
	for kind, from := range o.lines {
		to := a.line(kind)
		to.count += from.count
		to.pairs += from.pairs
		for i := range to.sums {
			to.sums[i].Merge(&from.sums[i])
		}
	}
}

// enterAccounts takes records that belong together into the accounts.
func (w *worker) enterAccounts(status Status, here, there []matching.Item) {
	r := w.run
	grouped := len(r.by[0]) > 0 || r.mirror != nil
	var names [2]string
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			if side == 1 && w.equal {
				copy(w.values[1], w.values[0])
			} else {
				w.readValues(side, item)
			}
			w.members[side]++
			for i, value := range w.values[side] {
				w.sums[side][i].Add(value)
			}
			if !grouped {
				continue
			}
			name := w.groupOf(side, item, here)
			w.account(name).add(side, r.totals, w.values[side])
			if status == OnlyHere || status == OnlyThere || status == Ambiguous {
				w.account(name).leave(status, side, r.totals, w.values[side])
			}
			if names[side] == "" {
				names[side] = name
			}
		}
	}
	switch status {
	case OnlyHere, OnlyThere, Ambiguous:
		w.leaveAll(status, here, there)
		return
	}
	w.differences(&w.total, here, there)
	if !grouped {
		return
	}
	if w.isMoved(here, there, names) {
		w.move(here, there)
		return
	}
	w.differences(w.account(names[0]), here, there)
}

// add takes a record into the totals.
func (a *account) add(side int, totals []int, values []amount.Amount) {
	a.counts[side]++
	for i, total := range totals {
		a.sums[side][i].Add(values[total])
	}
}

// leave takes a record in that only one side has, or that does not pair off.
func (a *account) leave(status Status, side int, totals []int, values []amount.Amount) {
	kind := lineKind{kind: lessHere}
	switch {
	case status == OnlyThere:
		kind.kind = plusThere
	case status == Ambiguous && side == 0:
		kind.kind = lessAmbiguous
	case status == Ambiguous:
		kind.kind = plusAmbiguous
	}
	a.line(kind).enter(side, totals, values)
}

// enter takes a record in: with a minus where it is here.
func (e *entry) enter(side int, totals []int, values []amount.Amount) {
	e.count += 2*side - 1
	for i, total := range totals {
		if side == 0 {
			e.sums[i].Sub(values[total])
		} else {
			e.sums[i].Add(values[total])
		}
	}
}

func (w *worker) leaveAll(status Status, here, there []matching.Item) {
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			w.readValues(side, item)
			w.total.leave(status, side, w.run.totals, w.values[side])
		}
	}
}

func (w *worker) readValues(side int, item matching.Item) {
	columns := len(w.run.names[side])
	for i, column := range w.run.values[side] {
		w.values[side][i] = amountOf(item.Text(column, columns))
	}
}

// differences takes in by what the totals of records differ that belong together.
func (w *worker) differences(a *account, here, there []matching.Item) {
	single := len(here) == 1 && len(there) == 1
	if more := len(there) - len(here); more != 0 {
		e := a.line(lineKind{difference, 0, Several})
		e.count += more
	}
	if single && len(w.diffs) == 0 {
		return
	}
	for i, total := range w.run.totals {
		var x, y amount.Amount
		if single {
			x, y = w.values[0][total], w.values[1][total]
		} else {
			x, y = w.sumOf(0, here, w.run.values[0][total]), w.sumOf(1, there, w.run.values[1][total])
		}
		apart := y.Sub(x)
		if apart.Sign() == 0 {
			continue
		}
		kind := lineKind{difference, i, reasonOf(x, y)}
		for k := range w.diffs {
			if f := &w.run.fields[w.diffs[k].field]; f.amount == total && w.diffs[k].within {
				kind.reason = Within
			}
		}
		e := a.line(kind)
		e.pairs++
		e.sums[i].Add(apart)
	}
}

// groupOf is the group of a record: by its own columns, or where its side lacks one
// by that of the record here that it belongs to.
func (w *worker) groupOf(side int, item matching.Item, here []matching.Item) string {
	r := w.run
	if r.mirror != nil {
		return r.mirror.pairOf(item.Key())
	}
	var name []byte
	for i := range r.by[0] {
		at, from, of := r.by[side][i], item, side
		if at < 0 && side == 1 && len(here) > 0 {
			at, from, of = r.by[0][i], here[0], 0
		}
		if i > 0 {
			name = append(name, 0)
		}
		if at >= 0 {
			name = append(name, from.Text(at, len(r.names[of]))...)
		}
	}
	return string(name)
}

func (w *worker) account(name string) *account {
	a := w.groups[name]
	if a == nil {
		made := w.run.account()
		a = &made
		w.groups[name] = a
	}
	return a
}

// isMoved tells whether records that belong together are in several groups.
func (w *worker) isMoved(here, there []matching.Item, names [2]string) bool {
	if names[0] != names[1] {
		return true
	}
	if len(here) == 1 && len(there) == 1 {
		return false
	}
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			if w.groupOf(side, item, here) != names[0] {
				return true
			}
		}
	}
	return false
}

// move takes records into the accounts of their groups whose counterparts are in
// others.
func (w *worker) move(here, there []matching.Item) {
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			w.readValues(side, item)
			kind := lineKind{kind: lessElsewhere}
			if side == 1 {
				kind.kind = plusElsewhere
			}
			w.account(w.groupOf(side, item, here)).line(kind).enter(side, w.run.totals, w.values[side])
		}
	}
}

// statement makes the statement of an account and makes sure that it foots, with
// the totals that were taken when the records were read.
func (r *run) statement(a *account, counts [2]int, sums [2][]amount.Amount) (Statement, error) {
	var s Statement
	s.Lines = append(s.Lines, Line{Label: "total per records", Count: counts[0], Amounts: sums[0]})
	var kinds []lineKind
	for kind := range a.lines {
		kinds = append(kinds, kind)
	}
	slices.SortFunc(kinds, func(x, y lineKind) int {
		return cmp.Or(cmp.Compare(x.kind, y.kind), cmp.Compare(x.total, y.total), cmp.Compare(x.reason, y.reason))
	})
	count := counts[0]
	totals := slices.Clone(sums[0])
	for _, kind := range kinds {
		e := a.lines[kind]
		line := Line{Label: r.label(kind, e), Count: e.count, Pairs: e.pairs}
		if kind.kind == difference && kind.reason != Several || e.pairs > 0 {
			line.Column = r.options.Totals[kind.total]
		}
		for i := range e.sums {
			line.Amounts = append(line.Amounts, e.sums[i].Amount())
			totals[i] = totals[i].Add(e.sums[i].Amount())
		}
		count += e.count
		s.Lines = append(s.Lines, line)
	}
	s.Lines = append(s.Lines, Line{Label: "total per reference", Count: counts[1], Amounts: sums[1]})
	s.align()
	if count != counts[1] {
		return s, footError("records", fmt.Sprint(counts[1]), fmt.Sprint(count), fmt.Sprint(counts[1]-count))
	}
	for i := range totals {
		if apart := sums[1][i].Sub(totals[i]); apart.Sign() != 0 {
			return s, footError(r.options.Totals[i], sums[1][i].String(), totals[i].String(), apart.String())
		}
	}
	return s, nil
}

// align gives the amounts of a column the same number of decimals.
func (s *Statement) align() {
	for i := range s.Lines[0].Amounts {
		scale := 0
		for k := range s.Lines {
			scale = max(scale, s.Lines[k].Amounts[i].Scale())
		}
		for k := range s.Lines {
			of := &s.Lines[k].Amounts[i]
			*of = of.Add(amount.New(0, scale))
		}
	}
}

// footError says that a statement does not foot.
func footError(of, total, lines, apart string) error {
	return &proof.FailedError{Of: "the statement, " + of + ",", Read: total, Used: lines, Aside: "0", Lost: apart}
}

// What lines are called of which others have to know.
const (
	lessHereLabel  = "less only in the records"
	plusThereLabel = "plus only in the reference"
)

// label says what a line is.
func (r *run) label(kind lineKind, e *entry) string {
	switch kind.kind {
	case lessHere:
		return lessHereLabel
	case plusThere:
		return plusThereLabel
	case lessAmbiguous:
		return "less ambiguous in the records"
	case plusAmbiguous:
		return "plus ambiguous in the reference"
	case lessElsewhere:
		return "less with another " + strings.Join(r.options.By, ", ") + " in the reference"
	case plusElsewhere:
		return "plus with another " + strings.Join(r.options.By, ", ") + " in the records"
	}
	if kind.reason == Several && e.pairs == 0 {
		return kind.reason.String()
	}
	return fmt.Sprintf("%s: %s (%s)", r.options.Totals[kind.total], kind.reason, words.Count(e.pairs, "pair"))
}

// amounts are the totals of sums.
func amounts(sums []amount.Sum) []amount.Amount {
	var list []amount.Amount
	for i := range sums {
		list = append(list, sums[i].Amount())
	}
	return list
}
