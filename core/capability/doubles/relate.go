package doubles

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/large/prints"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// relations are what files have to do with one another.
type relations struct {
	shared map[couple]*shared
	of     map[couple]finding.Kind // that explain records which two files share
	with   [][]int                 // by source, the others that it has a relation to
	dated  int                     // a column in which all shared records have a day; -1 for none

	resubmissions []couple
	overlaps      []couple

	most   int // records that stand in more sources are not compared two by two
	common int // how many of them there are
}

// couple is two sources, the earlier one first.
type couple [2]int

func coupleOf(a, b int) couple { return couple{min(a, b), max(a, b)} }

// shared are the records that two sources have in common, each as often as in the
// one that has it less often.
type shared struct {
	records int
	totals  []amount.Sum
	lines   [2][2]int     // the first and the last one, in each source
	all     [2]drop.Lines // all of them, where the couple is told
	days    [2]int
	dated   bool
	changed int // records with one key and other values, see search.countChanged
}

// run are the members of a group that are of one source.
type run struct {
	index   int
	members []member
}

// runs are the members of a group by source, without those of copies.
func (s *search) runs(g *group, runs []run) []run {
	runs = runs[:0]
	for from := 0; from < len(g.members); {
		index := g.members[from].place.Source()
		to := from + 1
		for to < len(g.members) && g.members[to].place.Source() == index {
			to++
		}
		if !s.isCopy(index) {
			runs = append(runs, run{index, g.members[from:to]})
		}
		from = to
	}
	return runs
}

// relate finds out which files share records, and how many.
func (s *search) relate(ctx context.Context) error {
	r := &s.relation
	r.shared, r.of, r.with, r.dated = make(map[couple]*shared), make(map[couple]finding.Kind),
		make([][]int, len(s.sources)), -1
	if len(s.sources) < 2 {
		return nil
	}
	if err := s.findCopies(); err != nil {
		return err
	}
	covered, err := s.countShared()
	if err != nil {
		return err
	}
	if err := s.countCommon(); err != nil {
		return err
	}
	s.findMoreCopies()
	s.findContained()
	if err := s.findContainedTogether(covered); err != nil {
		return err
	}
	s.findResubmissions()
	s.findOverlaps()
	if err := s.collectLines(); err != nil {
		return err
	}
	return ctx.Err()
}

// collectLines notes on which lines the records stand that sources share, of which
// that is told.
func (s *search) collectLines() error {
	if len(s.relation.of) == 0 {
		return nil
	}
	var runs []run
	return eachGroup(s.whole.kept, func(g *group) error {
		runs = s.runs(g, runs)
		for _, a := range runs {
			for _, other := range s.relation.with[a.index] {
				k, ok := slices.BinarySearchFunc(runs, other,
					func(r run, index int) int { return cmp.Compare(r.index, index) })
				if !ok || other < a.index {
					continue
				}
				of, b := s.sharedOf(couple{a.index, other}), runs[k]
				for i := range min(len(a.members), len(b.members)) {
					of.all[0].Add(a.members[i].place.Line())
					of.all[1].Add(b.members[i].place.Line())
				}
			}
		}
		return nil
	})
}

// findCopies finds sources that hold the same records in other bytes: the number
// and the sum of their fingerprints are equal, and each record stands in both
// equally often. It also finds how many sources a record may stand in so that
// comparing them two by two takes no longer than reading does.
func (s *search) findCopies() error {
	classes := s.classes()
	inClass := make(map[int][]int) // by the first source of a class
	for _, class := range classes {
		inClass[class[0]] = class
		for _, index := range class[1:] {
			s.sources[index].copyOf = class[0]
		}
	}
	different := make(map[int]bool)
	bySources := make(map[int]int) // how many records stand in so many sources
	dates := make([]bool, len(s.columns))
	for i := range dates {
		dates[i] = true
	}
	counts := make(map[int]int)
	var runs []run
	err := eachGroup(s.whole.kept, func(g *group) error {
		if runs = s.runs(g, runs); len(runs) > 1 {
			bySources[len(runs)]++
			s.lookForDates(g.key, dates)
		}
		if len(classes) == 0 {
			return nil
		}
		clear(counts)
		for i := range g.members {
			counts[g.members[i].place.Source()]++
		}
		for index := range counts {
			first := s.sources[index].copyOf
			for _, other := range inClass[first] {
				if counts[other] != counts[first] {
					different[other] = true
				}
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	for index := range different {
		s.sources[index].copyOf = index
	}
	s.relation.dated = slices.Index(dates, true)
	s.relation.most = s.mostSources(bySources)
	return nil
}

// classes are groups of sources that may hold the same records.
func (s *search) classes() [][]int {
	type whole struct {
		records int
		sum     prints.Sum
	}
	byWhole := make(map[whole][]int)
	for i := range s.sources {
		if of := &s.sources[i]; of.records > 0 && !s.isCopy(i) {
			key := whole{of.records, of.sum}
			byWhole[key] = append(byWhole[key], i)
		}
	}
	var classes [][]int
	for _, class := range byWhole {
		if len(class) > 1 {
			classes = append(classes, class)
		}
	}
	return classes
}

// lookForDates notes in which columns a record has something other than a day.
func (s *search) lookForDates(key []byte, dates []bool) {
	for i := range dates {
		var value []byte
		value, key = texts.Take(key)
		if dates[i] {
			_, isDay := equality.Day(value)
			dates[i] = isDay
		}
	}
}

// mostSources is how many sources a record may stand in so that all couples are
// counted in about the time that reading takes.
func (s *search) mostSources(bySources map[int]int) int {
	const usual = 1 << 23
	left := usual
	for i := range s.sources {
		left += s.sources[i].records
	}
	most := 1
	for k := 2; len(bySources) > 0 && k <= len(s.sources); k++ {
		if left -= bySources[k] * k * (k - 1) / 2; left < 0 {
			return most
		}
		most = k
		delete(bySources, k)
	}
	return len(s.sources)
}

// countShared counts for each couple of sources the records that both have, and
// for each source those that any others have.
func (s *search) countShared() (covered []int, err error) {
	covered = make([]int, len(s.sources))
	var runs []run
	err = eachGroup(s.whole.kept, func(g *group) error {
		if runs = s.runs(g, runs); len(runs) < 2 {
			return nil
		}
		all := 0
		for _, r := range runs {
			all += len(r.members)
		}
		for _, r := range runs {
			covered[r.index] += min(len(r.members), all-len(r.members))
		}
		if len(runs) > s.relation.most {
			s.relation.common++
			return nil
		}
		money := s.moneyOf(g.key)
		for i, a := range runs {
			for _, b := range runs[i+1:] {
				s.share(g, a, b, money)
			}
		}
		return nil
	})
	return covered, err
}

// share notes that two sources have a record in common.
func (s *search) share(g *group, a, b run, money []amount.Amount) {
	key := couple{a.index, b.index}
	of := s.relation.shared[key]
	if of == nil {
		of = &shared{totals: make([]amount.Sum, len(money))}
		s.relation.shared[key] = of
	}
	n := min(len(a.members), len(b.members))
	of.records += n
	addTimes(of.totals, money, n)
	for side, r := range []run{a, b} {
		first, last := r.members[0].place.Line(), r.members[n-1].place.Line()
		if of.lines[side][0] == 0 || first < of.lines[side][0] {
			of.lines[side][0] = first
		}
		of.lines[side][1] = max(of.lines[side][1], last)
	}
	if s.relation.dated < 0 {
		return
	}
	if day, ok := equality.Day(texts.Nth(g.key, s.relation.dated)); ok {
		if !of.dated {
			of.days, of.dated = [2]int{day, day}, true
		}
		of.days = [2]int{min(of.days[0], day), max(of.days[1], day)}
	}
}

// moneyOf are the amounts of a record, by Options.Totals.
func (s *search) moneyOf(data []byte) []amount.Amount {
	money := make([]amount.Amount, len(s.totals))
	for i, column := range s.totals {
		// what is no amount is in suspense, and a blank is zero
		if value, err := amount.Parse(texts.Nth(data, column), '.'); err == nil {
			money[i] = value
		}
		money[i] = money[i].Add(s.zero(i))
	}
	return money
}

// zero has as many decimals as the column of a total has anywhere, so that its
// amounts are all told with as many.
func (s *search) zero(total int) amount.Amount {
	for len(s.scales) <= total {
		scale := 0
		for i := range s.tally.Sources {
			if totals := s.tally.Sources[i].Totals; totals != nil {
				scale = max(scale, totals[len(s.scales)].Amount().Scale())
			}
		}
		s.scales = append(s.scales, scale)
	}
	return amount.New(0, s.scales[total])
}

// addTimes adds amounts n times.
func addTimes(sums []amount.Sum, money []amount.Amount, n int) {
	for i := range sums {
		if n == 1 {
			sums[i].Add(money[i])
			continue
		}
		sums[i].Add(money[i].Mul(amount.New(int64(n), 0)))
	}
}

// countCommon counts the records that stand in too many sources for those couples
// in which one source may be contained in the other.
func (s *search) countCommon() error {
	if s.relation.common == 0 {
		return nil
	}
	suspects := make(map[int][]int)
	for key, of := range s.relation.shared {
		for i, index := range key {
			if of.records < s.sources[index].records {
				suspects[index] = append(suspects[index], key[1-i])
			}
		}
	}
	more := make(map[couple]int)
	var runs []run
	err := eachGroup(s.whole.kept, func(g *group) error {
		if runs = s.runs(g, runs); len(runs) <= s.relation.most {
			return nil
		}
		for _, r := range runs {
			for _, other := range suspects[r.index] {
				if k, ok := slices.BinarySearchFunc(runs, other,
					func(r run, index int) int { return cmp.Compare(r.index, index) }); ok && r.index < other {
					more[couple{r.index, other}] += min(len(r.members), len(runs[k].members))
				}
			}
		}
		return nil
	})
	for key, n := range more {
		s.relation.shared[key].records += n
	}
	return err
}

// findMoreCopies finds copies that findCopies took for copies of something else.
func (s *search) findMoreCopies() {
	keys := slices.SortedFunc(maps.Keys(s.relation.shared), compareCouples)
	for _, key := range keys {
		a, b := &s.sources[key[0]], &s.sources[key[1]]
		if n := s.relation.shared[key].records; n == a.records && n == b.records && !s.isCopy(key[0]) {
			b.copyOf = key[0]
		}
	}
	maps.DeleteFunc(s.relation.shared, func(key couple, _ *shared) bool { return s.isCopy(key[0]) || s.isCopy(key[1]) })
}

func compareCouples(a, b couple) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) }

// findContained finds sources all records of which stand in another one: in the
// one with the most records.
func (s *search) findContained() {
	for key, of := range s.relation.shared {
		for i, index := range key {
			if other := key[1-i]; of.records == s.sources[index].records && s.isLarger(other, index) {
				if in := s.sources[index].contained; in == nil || s.isLarger(other, in[0]) {
					s.sources[index].contained = []int{other}
				}
			}
		}
	}
}

// isLarger orders sources by their records; of equal ones the first is larger.
func (s *search) isLarger(a, b int) bool {
	return cmp.Or(cmp.Compare(s.sources[a].records, s.sources[b].records), cmp.Compare(b, a)) > 0
}

// findContainedTogether finds sources that stand in no other one as a whole, but
// in several of them together. Those that are parts of the source do not count.
func (s *search) findContainedTogether(covered []int) error {
	records := make(map[int][][]has) // of a source: in which others each record stands
	for i := range s.sources {
		if of := &s.sources[i]; of.records > 0 && covered[i] == of.records && of.contained == nil && !s.isCopy(i) {
			records[i] = nil
		}
	}
	if len(records) == 0 {
		return nil
	}
	own := make(map[int][]int) // how often it stands in the source itself
	var runs []run
	err := eachGroup(s.whole.kept, func(g *group) error {
		runs = s.runs(g, runs)
		for _, r := range runs {
			if _, ok := records[r.index]; !ok {
				continue
			}
			var others []has
			for _, other := range runs {
				if in := s.sources[other.index].contained; other.index != r.index && !slices.Contains(in, r.index) {
					others = append(others, has{other.index, len(other.members)})
				}
			}
			records[r.index] = append(records[r.index], others)
			own[r.index] = append(own[r.index], len(r.members))
		}
		return nil
	})
	for i := range s.sources {
		if others, ok := records[i]; ok {
			s.sources[i].contained = cover(own[i], others)
		}
	}
	return err
}

// has says how often a source has a record.
type has struct{ index, count int }

// cover finds sources that together have all records as often as they are needed,
// taking each time the one that brings most. It returns nil where there are none.
func cover(need []int, have [][]has) []int {
	var chosen []int
	need = slices.Clone(need)
	for {
		left := 0
		brings := make(map[int]int)
		for i, n := range need {
			left += n
			for _, h := range have[i] {
				if n > 0 && !slices.Contains(chosen, h.index) {
					brings[h.index] += min(n, h.count)
				}
			}
		}
		if left == 0 {
			slices.Sort(chosen)
			return chosen
		}
		best := -1
		for index, n := range brings {
			if best < 0 || n > brings[best] || n == brings[best] && index < best {
				best = index
			}
		}
		if best < 0 {
			return nil
		}
		chosen = append(chosen, best)
		for i := range need {
			for _, h := range have[i] {
				if h.index == best {
					need[i] -= min(need[i], h.count)
				}
			}
		}
	}
}

// findResubmissions finds sources that are of the same entity and period.
func (s *search) findResubmissions() {
	last := make(map[[2]string]int)
	for i := range s.sources {
		entity, period := s.set.Word(i, "entity"), s.set.Word(i, "period")
		if entity == "" || period == "" || s.isCopy(i) || s.sources[i].records == 0 {
			continue
		}
		key := [2]string{entity, period}
		if before, ok := last[key]; ok {
			s.relation.resubmissions = append(s.relation.resubmissions, couple{before, i})
			s.addRelation(couple{before, i}, finding.Resubmission)
		}
		last[key] = i
	}
}

// findOverlaps finds couples that share enough records, and of which nothing else
// is to be said that explains it.
func (s *search) findOverlaps() {
	hundred := amount.New(100, 0)
	for key, of := range s.relation.shared {
		a, b := &s.sources[key[0]], &s.sources[key[1]]
		if a.contained != nil || b.contained != nil {
			continue
		}
		part := amount.New(int64(of.records), 0).Mul(hundred)
		if part.Cmp(s.options.Share.Mul(amount.New(int64(min(a.records, b.records)), 0))) >= 0 {
			s.relation.overlaps = append(s.relation.overlaps, key)
			s.addRelation(key, finding.Overlap)
		}
	}
	slices.SortFunc(s.relation.overlaps, compareCouples)
}

// addRelation notes that what two sources share is told with the sources. Files
// that overlap and are of one entity and period are told for both reasons.
func (s *search) addRelation(key couple, kind finding.Kind) {
	if s.relation.of[key] != "" {
		return
	}
	s.relation.of[key] = kind
	for i, index := range key {
		s.relation.with[index] = append(s.relation.with[index], key[1-i])
	}
}
