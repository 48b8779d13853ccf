package gauge

import (
	"lastblock/core/large/intern"
	"lastblock/core/record"
	"lastblock/core/value/radix"
)

// codes counts values that come as numbers, see record.Stored. They are put down as they come, and now and then sorted
// and counted: where nearly all are different, which amounts are, that takes a tenth of looking each up.
type codes struct {
	form    record.Form
	pending []int64
	room    []int64  // to sort them
	counted []number // from the smallest to the largest
}

// add counts the code of a row.
func (c *codes) add(code int64) {
	if len(c.pending) == cap(c.pending) {
		c.settle()
	}
	c.pending = append(c.pending, code)
}

// addAll counts the codes of several rows.
func (c *codes) addAll(all []int64) {
	for len(all) > 0 {
		if len(c.pending) == cap(c.pending) {
			c.settle()
		}
		n := min(len(all), cap(c.pending)-len(c.pending))
		c.pending, all = append(c.pending, all[:n]...), all[n:]
	}
}

// settle counts what is pending, and makes room for as many values as there are different ones: each is moved a few
// times only, however many there will be. The first room is small, since there may be many columns of few values.
func (c *codes) settle() {
	const least, usual = 1 << 6, 1 << 12
	radix.Ints(c.pending, c.room[:len(c.pending)])
	c.counted = mergeNumbers(c.counted, c.pending)
	if room := max(least, min(2*cap(c.pending), usual), len(c.counted)); room > cap(c.pending) {
		c.pending, c.room = make([]int64, 0, room), make([]int64, room)
	}
	c.pending = c.pending[:0]
}

// mergeNumbers counts sorted values in.
func mergeNumbers(counted []number, values []int64) []number {
	different := 0
	for i := range values {
		if i == 0 || values[i] != values[i-1] {
			different++
		}
	}
	all := make([]number, 0, len(counted)+different)
	for len(values) > 0 {
		value, n := values[0], 1
		for n < len(values) && values[n] == value {
			n++
		}
		values = values[n:]
		for len(counted) > 0 && counted[0].Coefficient < value {
			all, counted = append(all, counted[0]), counted[1:]
		}
		if len(counted) > 0 && counted[0].Coefficient == value {
			n += int(counted[0].N)
			counted = counted[1:]
		}
		all = append(all, number{Coefficient: value, N: int64(n)})
	}
	return append(all, counted...)
}

// size is roughly how many bytes they take.
func (c *codes) size() int64 {
	return int64(8*(cap(c.pending)+len(c.room))) + int64(numberSize*cap(c.counted))
}

// isEmpty tells whether there is none.
func (c *codes) isEmpty() bool { return len(c.pending)+len(c.counted) == 0 }

// each gives the text of each code with how often it came.
func (c *codes) each(visit func(text []byte, n int) error) error {
	if c.isEmpty() {
		return nil
	}
	c.settle()
	return c.eachOf(c.counted, visit)
}

// takeCodes counts the codes of a column in some rows, nil for all, if none of another form was counted before.
func (d *dictionary) takeCodes(of *record.Stored, rows []int) bool {
	if d.texts.Len() > 0 || d.codes.form != nil && d.codes.form != of.Form {
		return false
	}
	d.codes.form = of.Form
	switch {
	case rows != nil:
		for _, row := range rows {
			if !of.IsNull(row) {
				d.codes.add(of.Codes[row])
			}
		}
	case len(of.Nulls) > 0:
		for row, code := range of.Codes {
			if !of.Nulls[row] {
				d.codes.add(code)
			}
		}
	default:
		d.codes.addAll(of.Codes)
	}
	return true
}

// fold has all values be texts.
func (d *dictionary) fold() {
	if d.codes.isEmpty() {
		return
	}
	_ = d.codes.each(func(text []byte, n int) error { // the only errors would be ours
		d.texts.Add(text, n)
		return nil
	})
	d.codes = codes{}
}

// eachValue gives every text once with how often it stands there.
func (d *dictionary) eachValue(visit func(text []byte, n int) error) error {
	if d.texts.Len() > 0 {
		d.fold()
		return d.texts.Each(visit)
	}
	return d.codes.each(visit)
}

// merge counts in what another dictionary has.
func (d *dictionary) merge(o *dictionary) {
	switch {
	case o.codes.isEmpty() && o.texts.Len() == 0:
		return
	case o.codes.isEmpty():
	case d.texts.Len() == 0 && o.texts.Len() == 0 && (d.codes.form == nil || d.codes.form == o.codes.form):
		d.codes.form = o.codes.form
		d.codes.merge(&o.codes)
		return
	default:
		o.fold()
	}
	d.fold()
	d.texts.Merge(o.texts)
}

// merge counts in what others have.
func (c *codes) merge(o *codes) {
	c.settle()
	o.settle()
	c.counted = together(c.counted, o.counted)
}

// together puts together what was counted twice, each from the smallest to the largest. It may use what room a has.
func together(a, b []number) []number {
	if len(a) == 0 || len(b) == 0 || compareNumbers(a[len(a)-1], b[0]) < 0 {
		return append(a, b...)
	}
	all := make([]number, 0, len(a)+len(b))
	for len(a) > 0 && len(b) > 0 {
		switch x, y := a[0], b[0]; {
		case x.Coefficient < y.Coefficient:
			all, a = append(all, x), a[1:]
		case x.Coefficient > y.Coefficient:
			all, b = append(all, y), b[1:]
		default:
			all, a, b = append(all, number{Coefficient: x.Coefficient, N: x.N + y.N}), a[1:], b[1:]
		}
	}
	return append(append(all, a...), b...)
}

// eachOf gives the text of each of some codes that were counted.
func (c *codes) eachOf(counted []number, visit func(text []byte, n int) error) error {
	var room []byte
	for _, of := range counted {
		room = c.form.Append(room[:0], of.Coefficient)
		if err := visit(room, int(of.N)); err != nil {
			return err
		}
	}
	return nil
}

// size is roughly how many bytes the dictionary takes.
func (d *dictionary) size() int64 { return d.texts.Size() + d.codes.size() }

// clear takes everything out.
func (d *dictionary) clear() { d.texts, d.codes = intern.NewCounter(), codes{} }
