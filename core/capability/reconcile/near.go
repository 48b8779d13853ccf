package reconcile

import (
	"slices"

	"lastblock/core/large/texts"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// neighbour is a record with what of its key may differ a little.
type neighbour struct {
	item   matching.Item
	values [][]byte // by pass.near, in their plain forms
	amount amount.Amount
	day    int
	of     int // the only one it may belong to, see pairUnique
}

// What a neighbour may belong to.
const (
	nobody  = -1
	several = -2
)

// mostSteps is how many pairs of neighbours of one key are looked at at most.
const mostSteps = 1 << 24

// matchNear matches records of which some columns of the key may differ a little:
// first those that do not differ, then those that have only one neighbour, which has
// no other one.
func (w *worker) matchNear(here, there []matching.Item) error {
	here, there, err := w.pairSame(here, there)
	if err != nil {
		return err
	}
	first := &w.run.fields[w.pass.near[0]]
	mine, restHere := w.neighbours(0, here)
	theirs, restThere := w.neighbours(1, there)
	slices.SortStableFunc(theirs, func(a, b neighbour) int {
		if first.days >= 0 {
			return a.day - b.day
		}
		return a.amount.Cmp(b.amount)
	})
	steps := 0
	for i := range mine {
		n := &mine[i]
		from, _ := slices.BinarySearchFunc(theirs, n, func(a neighbour, b *neighbour) int {
			if first.days >= 0 {
				return a.day - b.day
			}
			return a.amount.Cmp(b.amount)
		})
		visit := func(k int) bool {
			steps++
			if steps > mostSteps || !first.isNear(n.values[0], theirs[k].values[0]) {
				return false
			}
			for v := 1; v < len(w.pass.near); v++ {
				if !w.run.fields[w.pass.near[v]].isNear(n.values[v], theirs[k].values[v]) {
					return true
				}
			}
			n.belongs(k)
			theirs[k].belongs(i)
			return true
		}
		for k := from; k < len(theirs) && visit(k); k++ {
		}
		for k := from - 1; k >= 0 && visit(k); k-- {
		}
	}
	if steps > mostSteps {
		w.gaveUp += len(mine) + len(theirs)
	}
	for i := range mine {
		if k := mine[i].of; steps <= mostSteps && k >= 0 && theirs[k].of == i {
			if err := w.take([]matching.Item{mine[i].item}, []matching.Item{theirs[k].item}); err != nil {
				return err
			}
			theirs[k].item = nil
			continue
		}
		restHere = append(restHere, mine[i].item)
	}
	for k := range theirs {
		if theirs[k].item != nil {
			restThere = append(restThere, theirs[k].item)
		}
	}
	return w.leave(restHere, restThere)
}

func (n *neighbour) belongs(to int) {
	if n.of == nobody {
		n.of = to
	} else {
		n.of = several
	}
}

// nearValues are what of the key may differ a little, in plain form; ok is false
// where something is blank.
func (w *worker) nearValues(side int, item matching.Item) (values [][]byte, ok bool) {
	decimals := w.run.sides[side].DecimalsOf(item.Place().Source())
	for _, i := range w.pass.near {
		f := &w.run.fields[i]
		value := slices.Clone(equality.Of(item.Text(f.at[side], len(w.run.names[side])),
			decimalOf(decimals, f.at[side]), &w.rooms[side]))
		if len(value) == 0 {
			return nil, false
		}
		values = append(values, value)
	}
	return values, true
}

// neighbours are the records that may have some; rest are the others.
func (w *worker) neighbours(side int, items []matching.Item) (list []neighbour, rest []matching.Item) {
	for _, item := range items {
		values, ok := w.nearValues(side, item)
		if !ok {
			rest = append(rest, item)
			continue
		}
		n := neighbour{item: item, values: values, of: nobody}
		if w.run.fields[w.pass.near[0]].days >= 0 {
			if n.day, ok = equality.Day(values[0]); !ok {
				rest = append(rest, item)
				continue
			}
		} else {
			n.amount = amountOf(values[0])
		}
		list = append(list, n)
	}
	return list, rest
}

// pairSame matches the records whose keys are wholly the same.
func (w *worker) pairSame(here, there []matching.Item) (restHere, restThere []matching.Item, err error) {
	keys := [2]map[string][]matching.Item{make(map[string][]matching.Item), make(map[string][]matching.Item)}
	var order []string
	var rest [2][]matching.Item
	for side, items := range [2][]matching.Item{here, there} {
		for _, item := range items {
			values, ok := w.nearValues(side, item)
			if !ok {
				rest[side] = append(rest[side], item)
				continue
			}
			var key []byte
			for _, value := range values {
				key = texts.Append(key, value)
			}
			if len(keys[0][string(key)])+len(keys[1][string(key)]) == 0 {
				order = append(order, string(key))
			}
			keys[side][string(key)] = append(keys[side][string(key)], item)
		}
	}
	for _, key := range order {
		a, b := keys[0][key], keys[1][key]
		if len(a) > 0 && len(b) > 0 {
			if len(a) == 1 && len(b) == 1 {
				if err := w.take(a, b); err != nil {
					return nil, nil, err
				}
				continue
			}
			if a, b, err = w.pairOff(a, b); err != nil {
				return nil, nil, err
			}
		}
		rest[0] = append(rest[0], a...)
		rest[1] = append(rest[1], b...)
	}
	return rest[0], rest[1], nil
}
