package reconcile

import (
	"bytes"
	"context"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// match makes all passes.
func (r *run) match(ctx context.Context) error {
	s := Sides{r}
	r.columns, r.corrected = s.Columns(), s.CorrectedColumns(r.writing.Bare)
	for i, encode := range []record.Encoder{r.writing.Encode, r.writing.Corrected} {
		if encode != nil {
			most := r.sides[0].Lines() + r.sides[1].Lines() + 1
			r.rows[i] = matching.NewRows(most, 2*r.bytes(), r.reading.Memory/2, r.reading.Jobs)
		}
	}
	for n := range r.passes {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := r.matchOnce(ctx, n); err != nil {
			return err
		}
	}
	return nil
}

// matchOnce makes a pass, and deals what is left for the next one.
func (r *run) matchOnce(ctx context.Context, n int) error {
	heaps := r.heaps
	defer func() { heaps.Close() }()
	p := &r.passes[n]
	if !p.settles {
		r.heaps = matching.NewHeaps(r.bytes(), r.reading.Memory/2, r.reading.Jobs)
	} else {
		r.heaps = nil
	}
	made := 0
	return heaps.EachGroup(ctx, r.reading.Jobs, func() matching.Groups {
		if made == len(r.workers) {
			r.workers = append(r.workers, r.worker())
		}
		w := r.workers[made]
		made++
		w.enter(n)
		return w
	})
}

// worker matches groups for one goroutine.
type worker struct {
	run     *run
	rows    [2]*matching.RowWriter // nil for what is not written
	printer *printer
	number  int // of the pass
	pass    *pass
	next    [2]*matching.Dealer // for what is left
	keys    [2]*matching.Key    // by which it is dealt
	compare []int               // of fields
	loose   bool                // its keys are, and what that brings together is told

	texts  [2][][]byte // of the two records of a pair
	rooms  [2][]byte
	key    []byte
	item   []byte
	diffs  []diff
	equal  bool // the two records of a pair are the same to the byte
	values [2][]amount.Amount

	counts   [statuses]Count
	matches  []int // by pass
	fields   []fieldCount
	total    account
	groups   map[string]*account
	pairs    map[string]*[statuses]int // of companies: keys by status
	members  [2]int                    // records that were told, by side
	sums     [2][]amount.Sum           // of them, by run.values
	merged   []merged                  // by pass
	gaveUp   int
	findings finding.List
}

// fieldCount is what is known of a field.
type fieldCount struct {
	differs int
	sum     amount.Sum
}

func (r *run) worker() *worker {
	w := &worker{
		run: r, matches: make([]int, len(r.passes)), fields: make([]fieldCount, len(r.fields)),
		groups: make(map[string]*account), pairs: make(map[string]*[statuses]int),
		merged: make([]merged, len(r.passes)),
	}
	w.total = r.account()
	for side := range w.texts {
		w.texts[side] = make([][]byte, len(r.names[side]))
		w.values[side] = make([]amount.Amount, len(r.values[side]))
		w.sums[side] = make([]amount.Sum, len(r.values[side]))
	}
	for i, rows := range r.rows {
		if rows != nil {
			w.rows[i] = rows.Writer()
		}
	}
	w.printer = r.printer()
	return w
}

// enter begins a pass.
func (w *worker) enter(n int) {
	w.number, w.pass = n, &w.run.passes[n]
	w.compare = w.compare[:0]
	for i := range w.run.fields {
		if w.run.isCompared(n, i) {
			w.compare = append(w.compare, i)
		}
	}
	w.loose = slices.ContainsFunc(w.pass.keys[0].Loose,
		func(l equality.Loose) bool { return l != (equality.Loose{}) }) && (!w.pass.settles || n == 0)
	w.next = [2]*matching.Dealer{}
	if !w.pass.settles {
		for side := range w.next {
			w.next[side] = w.run.heaps.Dealer(side)
			w.keys[side] = w.run.passes[n+1].keys[side].Clone()
		}
	}
}

// isCompared tells whether a pass compares a field. What is part of its key is the same,
// and what is part of an earlier one is not, or it would have been matched by that;
// of several records together only their amounts and dates count. What Options.Compare
// names is compared in any case, and so is what has a tolerance.
func (r *run) isCompared(n, i int) bool {
	p, f := &r.passes[n], &r.fields[i]
	switch {
	case !f.compared:
		return false
	case slices.Contains(p.part, i) && !slices.Contains(p.near, i):
		return false
	case r.options.Compare != nil || f.tolerance || f.days >= 0:
		return true
	case p.combine:
		return f.amount >= 0
	case p.settles:
		return true
	}
	return !slices.ContainsFunc(r.passes[:n], func(before pass) bool { return slices.Contains(before.part, i) })
}

// Group matches the records of one key.
func (w *worker) Group(here, there []matching.Item) error {
	if w.loose && len(here) > 0 && len(there) > 0 {
		w.noteLoose(here, there)
	}
	switch {
	case len(here) == 0 || len(there) == 0:
		return w.leave(here, there)
	case w.pass.combine:
		return w.combine(here, there)
	case len(w.pass.near) > 0:
		return w.matchNear(here, there)
	case w.run.addsUp():
		return w.take(here, there)
	case len(here) == 1 && len(there) == 1:
		return w.take(here, there)
	}
	here, there, err := w.pairOff(here, there)
	if err != nil {
		return err
	}
	return w.leave(here, there)
}

// addsUp tells whether the records of one key are added up first.
func (r *run) addsUp() bool { return r.options.Sum != nil || r.mirror != nil }

// pairOff takes the pairs out of records with one key that belong together for sure:
// those that agree wholly; then those that agree with one only, and it with them;
// and at last the only ones that are left.
func (w *worker) pairOff(here, there []matching.Item) (restHere, restThere []matching.Item, err error) {
	here, there, err = w.pairEqual(here, there)
	if err == nil && len(here)+len(there) > 2 && w.isTolerant() {
		here, there, err = w.pairUnique(here, there, func(a, b matching.Item) bool { return w.agree(a, b) })
	}
	if err == nil && len(here) == 1 && len(there) == 1 {
		return nil, nil, w.take(here, there)
	}
	return here, there, err
}

func (w *worker) isTolerant() bool {
	return slices.ContainsFunc(w.compare, func(i int) bool {
		return w.run.fields[i].tolerance ||
			w.run.fields[i].days >= 0
	})
}

// pairEqual takes the pairs out that agree wholly, the first ones with the first.
func (w *worker) pairEqual(here, there []matching.Item) (restHere, restThere []matching.Item, err error) {
	waiting := make(map[string][]int)
	for i, item := range there {
		values := string(w.valuesOf(1, item))
		waiting[values] = append(waiting[values], i)
	}
	taken := make([]bool, len(there))
	for i, item := range here {
		values := string(w.valuesOf(0, item))
		if like := waiting[values]; len(like) > 0 {
			waiting[values], taken[like[0]] = like[1:], true
			if err := w.take(here[i:i+1], there[like[0]:like[0]+1]); err != nil {
				return nil, nil, err
			}
			continue
		}
		restHere = append(restHere, item)
	}
	for i, item := range there {
		if !taken[i] {
			restThere = append(restThere, item)
		}
	}
	return restHere, restThere, nil
}

// mostCompared is how many pairs of records with one key are compared at most.
const mostCompared = 1 << 20

// pairUnique takes the pairs out of which each belongs to the other only.
func (w *worker) pairUnique(here, there []matching.Item,
	belong func(a, b matching.Item) bool) (restHere, restThere []matching.Item, err error) {
	if len(here)*len(there) > mostCompared {
		w.gaveUp += len(here) + len(there)
		return here, there, nil
	}
	const none, several = -1, -2
	of := [2][]int{slices.Repeat([]int{none}, len(here)), slices.Repeat([]int{none}, len(there))}
	note := func(of []int, i, k int) {
		if of[i] == none {
			of[i] = k
		} else {
			of[i] = several
		}
	}
	for i, a := range here {
		for k, b := range there {
			if belong(a, b) {
				note(of[0], i, k)
				note(of[1], k, i)
			}
		}
	}
	isPair := func(i, k int) bool { return i >= 0 && k >= 0 && of[0][i] == k && of[1][k] == i }
	for i := range here {
		if k := of[0][i]; isPair(i, k) {
			if err := w.take(here[i:i+1], there[k:k+1]); err != nil {
				return nil, nil, err
			}
			continue
		}
		restHere = append(restHere, here[i])
	}
	for k := range there {
		if !isPair(of[1][k], k) {
			restThere = append(restThere, there[k])
		}
	}
	return restHere, restThere, nil
}

// valuesOf are the values of a record that are compared, by what they mean.
func (w *worker) valuesOf(side int, item matching.Item) []byte {
	item.Texts(w.texts[side])
	decimals := w.run.sides[side].DecimalsOf(item.Place().Source())
	w.item = w.item[:0]
	for _, i := range w.compare {
		f := &w.run.fields[i]
		text := w.texts[side][f.at[side]]
		if f.amount >= 0 {
			w.item = texts.Append(w.item, amountOf(text).Reduce().Append(nil))
			continue
		}
		w.item = texts.Append(w.item, equality.Of(text, decimalOf(decimals, f.at[side]), &w.rooms[side]))
	}
	return w.item
}

// decimalOf is the decimal mark of a column; one that was computed has the point.
func decimalOf(decimals []byte, column int) byte {
	if column < len(decimals) {
		return decimals[column]
	}
	return '.'
}

// agree tells whether two records agree.
func (w *worker) agree(a, b matching.Item) bool {
	w.compareRecords(a, b)
	return !w.anyDiffers()
}

// leave passes on what a pass could not match, or tells it.
func (w *worker) leave(here, there []matching.Item) error {
	if w.pass.settles {
		return w.settle(here, there)
	}
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			item.Texts(w.texts[side])
			key := w.keyStart(item)
			before := len(key)
			key, blank := w.keys[side].Append(key, w.texts[side], w.run.sides[side].DecimalsOf(item.Place().Source()))
			blank = blank && before == 0 && len(w.keys[side].Columns) > 0
			w.key = key
			w.item = item.Rekey(w.item[:0], key, blank)
			if err := w.next[side].Add(w.item); err != nil {
				return err
			}
		}
	}
	return nil
}

// keyStart begins the key of a pass: with the two companies, where they are mirrored.
func (w *worker) keyStart(item matching.Item) []byte {
	if w.run.mirror == nil {
		return w.key[:0]
	}
	key := item.Key()
	_, rest := texts.Take(key)
	_, rest = texts.Take(rest)
	return append(w.key[:0], key[:len(key)-len(rest)]...)
}

// settle tells what is left of one key.
func (w *worker) settle(here, there []matching.Item) error {
	if len(here) > 0 && len(there) > 0 {
		return w.tell(Ambiguous, here, there)
	}
	for i := range here {
		if err := w.tell(OnlyHere, here[i:i+1], nil); err != nil {
			return err
		}
	}
	for i := range there {
		if err := w.tell(OnlyThere, nil, there[i:i+1]); err != nil {
			return err
		}
	}
	return nil
}

// take tells of records that belong together whether they agree.
func (w *worker) take(here, there []matching.Item) error {
	if len(here) == 1 && len(there) == 1 {
		w.compareRecords(here[0], there[0])
	} else {
		w.compareSums(here, there)
	}
	status := Agrees
	if w.anyDiffers() {
		status = Differs
	}
	return w.tell(status, here, there)
}

// tell counts records with their status, and passes them on.
func (w *worker) tell(status Status, here, there []matching.Item) error {
	if status > Differs {
		w.diffs, w.equal = w.diffs[:0], false
	} else {
		w.matches[w.number]++
		w.countFields()
	}
	c := &w.counts[status]
	c.Matches++
	c.Here += len(here)
	c.There += len(there)
	w.enterAccounts(status, here, there)
	if w.run.mirror != nil {
		w.countPair(status, firstOf(here, there))
	}
	if status != Agrees {
		w.tellFinding(status, here, there)
	}
	return w.print(status, here, there)
}

func firstOf(here, there []matching.Item) matching.Item {
	if len(here) > 0 {
		return here[0]
	}
	return there[0]
}

// countPair counts a key of two companies.
func (w *worker) countPair(status Status, item matching.Item) {
	name := w.run.mirror.pairOf(item.Key())
	if w.pairs[name] == nil {
		w.pairs[name] = new([statuses]int)
	}
	w.pairs[name][status]++
}

// numberOf is the number by which rows are put in order: those here come first.
func (r *run) numberOf(here, there []matching.Item) uint64 {
	if len(here) > 0 {
		return r.sides[0].Number(here[0].Place())
	}
	return r.sides[0].Lines() + r.sides[1].Number(there[0].Place())
}

// merged is what loose keys have brought together.
type merged struct {
	keys  int
	first record.Place
	text  string
}

// noteLoose notes that keys are one only because something makes no difference.
func (w *worker) noteLoose(here, there []matching.Item) {
	p := w.pass
	exact := func(side int, item matching.Item) []byte {
		item.Texts(w.texts[side])
		decimals := w.run.sides[side].DecimalsOf(item.Place().Source())
		var key []byte
		for _, column := range p.keys[side].Columns {
			key = texts.Append(key, equality.Of(w.texts[side][column], decimalOf(decimals, column), &w.rooms[side]))
		}
		return key
	}
	first := exact(0, here[0])
	for side, items := range [2][]matching.Item{here, there} {
		own := exact(side, items[0])
		for _, item := range items[1:] {
			if !bytes.Equal(exact(side, item), own) {
				w.tellMerged(side, items[0], item)
				break
			}
		}
	}
	if bytes.Equal(first, exact(1, there[0])) {
		return
	}
	m := &w.merged[w.number]
	m.keys++
	if place := here[0].Place(); m.keys == 1 || place < m.first {
		m.first = place
		m.text = w.keyText(0, here[0]) + " in the records and " + w.keyText(1, there[0]) + " in the reference"
	}
}
