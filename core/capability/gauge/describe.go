package gauge

import (
	"bytes"
	"cmp"
	"errors"
	"slices"
	"sync/atomic"

	"lastblock/core/large/spill"
	"lastblock/core/value/statistic"
)

// describe puts together what several goroutines have gathered, in the order of
// columns. Each column's texts come one after another, each text once for every
// decimal mark.
func describe(parts []*gatherer, columns []asked, memory int64, frequent int) ([]Column, error) {
	rows := 0
	for _, g := range parts {
		rows += g.rows
	}
	all := make([]Column, 0, len(columns))
	if isSpilled(parts, memory) {
		found, err := describeSpilled(parts, columns, rows, memory, frequent)
		if err != nil {
			return nil, err
		}
		for _, c := range columns {
			column, ok := found[c.name]
			if !ok {
				column = Column{Summary: new(statistic.Moments).Summary(c.name, rows, c.kind)}
			}
			all = append(all, column)
		}
		return all, nil
	}
	all = all[:len(columns)]
	shares := sharesOf(parts, columns)
	portraits := make([][]*portrait, len(columns)) // of each share
	for _, s := range shares {
		portraits[s.column] = append(portraits[s.column], nil)
	}
	open := make([]atomic.Int32, len(columns)) // shares that are not done yet
	for i := range open {
		open[i].Store(int32(len(portraits[i])))
	}
	group := newGroup()
	for _, s := range shares {
		group.Go(func() error {
			of := portraits[s.column]
			of[s.index] = newPortrait(memory/int64(len(of)), frequent)
			if err := s.describe(of[s.index]); err != nil {
				return err
			}
			if open[s.column].Add(-1) > 0 {
				return nil
			}
			column, err := finish(of, columns[s.column], rows)
			all[s.column] = column
			return err
		})
	}
	err := group.Wait()
	for _, p := range slices.Concat(portraits...) {
		if p != nil {
			err = errors.Join(err, p.close())
		}
	}
	return all, err
}

// finish describes a column by the portraits of all its shares, which are then gone.
func finish(portraits []*portrait, of asked, rows int) (Column, error) {
	p := portraits[0]
	for i, other := range portraits[1:] {
		if err := cmp.Or(p.merge(other), other.close()); err != nil {
			return Column{}, err
		}
		portraits[i+1] = nil
	}
	column, err := p.column(of, rows)
	portraits[0] = nil
	return column, errors.Join(err, p.close())
}

// isSpilled tells whether anything was put aside, or whether putting all
// together could take too much memory.
func isSpilled(parts []*gatherer, memory int64) bool {
	var size int64
	for _, g := range parts {
		if g.spilled.Len() > 0 {
			return true
		}
		size += g.size()
	}
	return size > memory/2
}

// describeSpilled reads all texts in order from where they were put aside.
func describeSpilled(parts []*gatherer, columns []asked, rows int, memory int64,
	frequent int) (map[string]Column, error) {
	var sorters []*spill.Sorter
	names, at := []string(nil), make(map[string]int)
	for _, g := range parts {
		for _, name := range g.names {
			if _, ok := at[name]; !ok {
				at[name] = len(names)
				names = append(names, name)
			}
		}
	}
	for _, g := range parts {
		if err := g.renumber(at); err != nil {
			return nil, err
		}
		if err := g.spill(); err != nil {
			return nil, err
		}
		sorters = append(sorters, g.spilled)
	}
	found := make(map[string]Column)
	var p *portrait
	current := -1
	end := func() error {
		if p == nil {
			return nil
		}
		of := asked{name: names[current]}
		if at := slices.IndexFunc(columns, func(c asked) bool { return c.name == of.name }); at >= 0 {
			of = columns[at]
		}
		column, err := p.column(of, rows)
		found[names[current]] = column
		return errors.Join(err, p.close())
	}
	var text []byte
	var both counts
	flush := func() error {
		if both == (counts{}) {
			return nil
		}
		n := both
		both = counts{}
		return p.add(text, n)
	}
	err := spill.Merge(sorters, func(item []byte) error {
		column, value, mark, n := fromItem(item)
		if column == current && bytes.Equal(value, text) {
			both[mark] += n
			return nil
		}
		if err := flush(); err != nil {
			return err
		}
		if column != current {
			if err := end(); err != nil {
				return err
			}
			current, p = column, newPortrait(memory/4, frequent)
		}
		text = append(text[:0], value...)
		both[mark] = n
		return nil
	})
	if err == nil {
		err = flush()
	}
	if err == nil {
		err = end()
	} else if p != nil {
		err = errors.Join(err, p.close())
	}
	return found, err
}

// renumber gives the columns of a gatherer the numbers that they have for all.
func (g *gatherer) renumber(at map[string]int) error {
	same := true
	for i, name := range g.names {
		same = same && at[name] == i
	}
	if same {
		return nil
	}
	old := g.spilled
	g.spilled = nil
	for i := range g.columns {
		g.columns[i].column = at[g.names[g.columns[i].column]]
	}
	if old.Len() == 0 {
		return nil
	}
	g.spilled = spill.New(g.limit)
	err := spill.Merge([]*spill.Sorter{old}, func(item []byte) error {
		column, text, mark, n := fromItem(item)
		g.item = appendItem(g.item[:0], at[g.names[column]], text, mark, n)
		return g.spilled.Add(g.item)
	})
	return errors.Join(err, old.Close())
}
