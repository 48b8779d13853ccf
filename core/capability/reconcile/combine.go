package reconcile

import (
	"cmp"
	"math"
	"slices"
	"sync/atomic"

	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"

	"golang.org/x/sync/errgroup"
)

// part is a record that may make one together with others.
type part struct {
	item   matching.Item
	amount int64 // at the scale of the block
	day    int
	dated  bool
}

// mostParts is how many records of a side are put together at most; beyond it their
// pairs take too much memory.
const mostParts = 4000

// mostTries is how many sums are looked at for the records of one key, and manyAnswers
// from how many on several goroutines look for them.
const (
	mostTries   = 1 << 34
	manyAnswers = 100
)

// answer is records of one side that together make one of the other.
type answer struct {
	one   int // of the side that has one
	parts []int
}

// combine looks among what is left for records of one side that together make one on
// the other. An answer counts only where it is the only one, and where none of its
// records is in another one, be it of a record that has several. A single record that
// makes another one by itself is an answer, too, though not one to be taken: what it
// stands for is for a key to say.
func (w *worker) combine(here, there []matching.Item) error {
	if len(here)+len(there) < 3 {
		return w.leave(here, there)
	}
	sides := [2][]matching.Item{here, there}
	f := w.combined()
	parts, scale, ok := w.parts(sides, f)
	if !ok || len(here) > mostParts || len(there) > mostParts {
		w.gaveUp += len(here) + len(there)
		return w.leave(here, there)
	}
	c := &combination{worker: w, parts: parts, field: f, scale: scale}
	gaveUp, err := c.find()
	if err != nil {
		return err
	}
	w.gaveUp += gaveUp
	return w.takeAnswers(sides, c.taken)
}

// combination is the search among the records of one key.
type combination struct {
	worker *worker
	parts  [2][]part
	field  *field
	scale  int

	answered [2][]bool   // records that are made by any others, by the side that has one
	others   [2][]uint32 // how many records a record is part of an answer of, as far as it matters
	taken    [2][]answer // the answers that count, by the side that has one
}

// find finds the answers that count. It first looks for the records with one answer
// only, and then, since most have none, whether a record of these answers is in one of
// another record.
func (c *combination) find() (gaveUp int, err error) {
	var only [2][]answer
	for one := range c.parts {
		c.answered[one] = make([]bool, len(c.parts[one]))
		answers := make([]answer, len(c.parts[one]))
		given, err := c.each(one, func(s *combiner, i int) {
			var found []int
			s.visit = func(parts []int) bool {
				c.answered[one][i] = true
				if found != nil && !slices.Equal(found, parts) {
					found = nil
					return false
				}
				found = slices.Clone(parts)
				return true
			}
			if s.find(&c.parts[one][i]) && len(found) > 1 {
				answers[i] = answer{i, found}
			}
		})
		if err != nil {
			return 0, err
		}
		gaveUp += given
		for _, a := range answers {
			if a.parts != nil {
				only[one] = append(only[one], a)
			}
		}
	}
	if len(only[0])+len(only[1]) == 0 {
		return gaveUp, nil
	}
	if err := c.count(only); err != nil {
		return 0, err
	}
	for one, answers := range only {
		for _, a := range answers {
			shared := c.others[one][a.one] > 0 // it is itself a part of another record
			for _, p := range a.parts {
				shared = shared || c.others[1-one][p] > 1 || c.answered[1-one][p]
			}
			if !shared {
				c.taken[one] = append(c.taken[one], a)
			}
		}
	}
	return gaveUp, nil
}

// count counts of the records in some answers how many other records they are part of
// an answer of.
func (c *combination) count(only [2][]answer) error {
	var wanted [2][]bool // by the side of the parts
	for side := range wanted {
		wanted[side] = make([]bool, len(c.parts[side]))
		c.others[side] = make([]uint32, len(c.parts[side]))
	}
	for one, answers := range only {
		for _, a := range answers {
			wanted[one][a.one] = true
			for _, p := range a.parts {
				wanted[1-one][p] = true
			}
		}
	}
	for one := range c.parts {
		side, most := 1-one, 0
		for _, w := range wanted[side] {
			if w {
				most++
			}
		}
		if most == 0 {
			continue
		}
		_, err := c.each(one, func(s *combiner, i int) {
			if !c.answered[one][i] {
				return
			}
			seen := make(map[int]bool, most)
			s.visit = func(parts []int) bool {
				for _, p := range parts {
					if wanted[side][p] && !seen[p] {
						seen[p] = true
						atomic.AddUint32(&c.others[side][p], 1)
					}
				}
				return len(seen) < most
			}
			s.find(&c.parts[one][i])
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// each has every record of a side looked at, with a combiner of the other side's. What
// is found of one does not depend on the others, so that several goroutines look at
// them. It counts those of which not everything was tried.
func (c *combination) each(one int, look func(s *combiner, i int)) (gaveUp int, err error) {
	w := c.worker
	first := combiner{parts: c.parts[1-one], most: w.run.options.Combine, field: c.field, scale: c.scale,
		days: w.daysOf()}
	first.choose(nil)
	tries := mostTries / (1 + len(c.parts[0]) + len(c.parts[1]))
	var group errgroup.Group
	var next, given atomic.Int64
	jobs := 1
	if len(c.parts[one]) > manyAnswers {
		jobs = max(1, w.run.reading.Jobs)
	}
	for range jobs {
		s := first // shares the pairs, which nobody changes
		group.Go(func() error {
			for {
				i := int(next.Add(1)) - 1
				if i >= len(c.parts[one]) {
					return nil
				}
				s.tries = tries
				if look(&s, i); s.tries <= 0 {
					given.Add(1)
				}
			}
		})
	}
	err = group.Wait()
	return int(given.Load()), err
}

// takeAnswers matches the records of answers.
func (w *worker) takeAnswers(sides [2][]matching.Item, found [2][]answer) error {
	var gone [2]map[int]bool
	for side := range gone {
		gone[side] = make(map[int]bool)
	}
	for one, answers := range found {
		for _, a := range answers {
			var together [2][]matching.Item
			together[one] = []matching.Item{sides[one][a.one]}
			gone[one][a.one] = true
			for _, p := range a.parts {
				together[1-one] = append(together[1-one], sides[1-one][p])
				gone[1-one][p] = true
			}
			if err := w.take(together[0], together[1]); err != nil {
				return err
			}
		}
	}
	var rest [2][]matching.Item
	for side, items := range sides {
		for i, item := range items {
			if !gone[side][i] {
				rest[side] = append(rest[side], item)
			}
		}
	}
	return w.leave(rest[0], rest[1])
}

// combined is the amount that is added up: the first total, or else the first of
// Options.Sum.
func (w *worker) combined() *field {
	wanted := -1
	if len(w.run.totals) > 0 {
		wanted = w.run.totals[0]
	}
	for i := range w.run.fields {
		if f := &w.run.fields[i]; f.amount >= 0 &&
			(f.amount == wanted || wanted < 0 && slices.Contains(w.run.options.Sum, f.name)) {
			return f
		}
	}
	return nil
}

// daysOf is the column of the dates that may lie only so far apart, nil for none.
func (w *worker) daysOf() *field {
	for i := range w.run.fields {
		if w.run.fields[i].days >= 0 {
			return &w.run.fields[i]
		}
	}
	return nil
}

// parts reads the amounts at one scale; ok is false where they are too large.
func (w *worker) parts(sides [2][]matching.Item, f *field) (parts [2][]part, scale int, ok bool) {
	for side, items := range sides {
		for _, item := range items {
			scale = max(scale, amountOf(item.Text(f.at[side], len(w.run.names[side]))).Reduce().Scale())
		}
	}
	dated := w.daysOf()
	for side, items := range sides {
		for _, item := range items {
			coefficient, ok := amountOf(item.Text(f.at[side], len(w.run.names[side]))).Unscaled(scale)
			const most = math.MaxInt64 / (2 * mostParts) // so that no sum of them overflows
			if !ok || !coefficient.IsInt64() || coefficient.Int64() > most || coefficient.Int64() < -most {
				return parts, scale, false
			}
			p := part{item: item, amount: coefficient.Int64()}
			if dated != nil {
				p.day, p.dated = equality.Day(equality.Of(item.Text(dated.at[side], len(w.run.names[side])), '.',
					&w.rooms[side]))
			}
			parts[side] = append(parts[side], p)
		}
	}
	return parts, scale, true
}

// combiner finds which parts make a sum.
type combiner struct {
	parts []part
	most  int
	field *field
	scale int // of the amounts
	days  *field
	tries int

	pairs []pairSum // of all parts, by their sums
	of    []int     // parts that pairs is of

	// visit is given an answer, its parts in their order, which may be given more than
	// once; false ends the search.
	visit func(parts []int) bool
}

// pairSum is the sum of two parts.
type pairSum struct {
	sum  int64
	a, b int32
}

// find visits the parts that make a record, alone or together, and tells whether it has
// seen all of them.
func (s *combiner) find(one *part) bool {
	if one.amount == 0 {
		return true
	}
	if s.days != nil {
		s.choose(one)
	}
	low, high := s.bounds(one)
	for _, i := range s.of {
		if a := s.parts[i].amount; low <= a && a <= high && !s.note(i) {
			return false
		}
	}
	if s.most >= 2 && !s.pairsWithin(low, high) {
		return false
	}
	chosen := make([]int, 0, s.most)
	for size := 3; size <= s.most; size++ {
		if !s.larger(size, 0, chosen, low, high) {
			return false
		}
	}
	return s.tries > 0
}

// choose takes the parts whose dates are near enough to that of a record, or all where
// dates do not matter, and makes their pairs.
func (s *combiner) choose(one *part) {
	s.of = nil
	if s.days != nil && one == nil {
		return
	}
	for i := range s.parts {
		p := &s.parts[i]
		if p.amount == 0 || s.days != nil &&
			(!p.dated || !one.dated || max(p.day-one.day, one.day-p.day) > s.days.days) {
			continue
		}
		s.of = append(s.of, i)
	}
	s.pairs = make([]pairSum, 0, len(s.of)*len(s.of)/2)
	for x, i := range s.of {
		for _, k := range s.of[x+1:] {
			s.pairs = append(s.pairs, pairSum{s.parts[i].amount + s.parts[k].amount, int32(i), int32(k)})
		}
	}
	s.tries -= 4 * len(s.pairs)
	slices.SortFunc(s.pairs, func(a, b pairSum) int {
		return cmp.Or(cmp.Compare(a.sum, b.sum), cmp.Compare(a.a, b.a), cmp.Compare(a.b, b.b))
	})
}

// bounds are between which sums the parts have to be.
func (s *combiner) bounds(one *part) (low, high int64) {
	f := s.field
	if !f.tolerance {
		return one.amount, one.amount
	}
	within := f.within
	if f.percent {
		within = amount.New(one.amount, 0).Abs().Mul(f.within)
		apart, _ := within.FloorQuo(amount.New(100, 0))
		return one.amount - apart, one.amount + apart
	}
	apart, _ := within.FloorQuo(amount.New(1, s.scale)) // what is below the last digit makes no difference
	return one.amount - apart, one.amount + apart
}

// note visits an answer.
func (s *combiner) note(parts ...int) bool {
	slices.Sort(parts)
	return s.visit(parts)
}

// pairsWithin notes the pairs with a sum between two bounds; false where the search is
// ended.
func (s *combiner) pairsWithin(low, high int64) bool {
	at, _ := slices.BinarySearchFunc(s.pairs, low, func(p pairSum, low int64) int { return cmp.Compare(p.sum, low) })
	for ; at < len(s.pairs) && s.pairs[at].sum <= high; at++ {
		if s.tries--; s.tries <= 0 || !s.note(int(s.pairs[at].a), int(s.pairs[at].b)) {
			return false
		}
	}
	return true
}

// larger notes the answers of a size of three and more that have chosen in them, the
// others being behind it; false where the search is ended.
func (s *combiner) larger(size, from int, chosen []int, low, high int64) bool {
	switch size - len(chosen) {
	case 3:
		for x := from; x < len(s.of); x++ {
			i := s.of[x]
			rest := s.parts[i].amount
			if s.tries -= 16; s.tries <= 0 {
				return false
			}
			at, _ := slices.BinarySearchFunc(s.pairs, low-rest,
				func(p pairSum, low int64) int { return cmp.Compare(p.sum, low) })
			for ; at < len(s.pairs) && s.pairs[at].sum <= high-rest; at++ {
				s.tries--
				p := s.pairs[at]
				if int(p.a) <= i { // each three once, its first part first
					continue
				}
				if !s.noteWith(chosen, i, int(p.a), int(p.b)) {
					return false
				}
			}
		}
		return true
	case 4:
		return s.pairsOfPairs(from, chosen, low, high)
	}
	for x := from; x < len(s.of); x++ {
		i := s.of[x]
		if !s.larger(size, x+1, append(chosen, i), low-s.parts[i].amount, high-s.parts[i].amount) {
			return false
		}
	}
	return true
}

// pairsOfPairs notes the answers that are two pairs: one goes up the sums, the other
// one down.
func (s *combiner) pairsOfPairs(from int, chosen []int, low, high int64) bool {
	if from >= len(s.of) {
		return true
	}
	first := s.of[from]
	down := len(s.pairs) - 1
	for up := 0; up < down; up++ {
		p := s.pairs[up]
		for down > up && p.sum+s.pairs[down].sum > high {
			down--
			s.tries--
		}
		if s.tries--; s.tries <= 0 {
			return false
		}
		if int(p.a) < first {
			continue
		}
		for at := down; at > up && p.sum+s.pairs[at].sum >= low; at-- {
			q := s.pairs[at]
			s.tries--
			if p.a == q.a || p.a == q.b || p.b == q.a || p.b == q.b || int(q.a) < first {
				continue // they have a part in common
			}
			if !s.noteWith(chosen, int(p.a), int(p.b), int(q.a), int(q.b)) {
				return false
			}
		}
	}
	return true
}

func (s *combiner) noteWith(chosen []int, parts ...int) bool {
	return s.note(append(slices.Clone(chosen), parts...)...)
}
