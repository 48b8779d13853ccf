package collate

import (
	"cmp"
	"slices"
	"strconv"

	"lastblock/core/format/delimited"
	"lastblock/core/large/prints"
	"lastblock/core/large/texts"
	"lastblock/core/source"
	"lastblock/core/tally"
)

// usedState is the state of a record that is used.
const usedState = "used"

// writeStates writes all records of a batch, of which the first n usable ones are used, in the order of their lines.
func (v *visitor) writeStates(b *source.Batch, n int) {
	slices.SortStableFunc(v.aside, func(x, y tally.Aside) int { return cmp.Compare(x.Line, y.Line) })
	rest := v.aside
	until := func(line int) {
		for len(rest) > 0 && rest[0].Line < line {
			v.writeAside(&rest[0])
			rest = rest[1:]
		}
	}
	for i := range n {
		row := v.tally.Row(i)
		until(b.Line(row))
		v.writeState(func(at int) []byte { return b.Text(row, at, &v.scratches[0]) }, usedState, "", nil, b.Line(row))
	}
	for i := range rest {
		v.writeAside(&rest[i])
	}
}

// noteStates takes in what became of the records of a batch that are not used.
func (v *visitor) noteStates() {
	if len(v.aside) == 0 {
		return
	}
	if v.states == nil {
		v.states = make(map[int]prints.Sum)
	}
	sum := v.states[v.index]
	for i := range v.aside {
		a := &v.aside[i]
		room := texts.Append(texts.Append(nil, []byte(a.State)), []byte(a.Why))
		sum.Add(prints.Of(strconv.AppendInt(room, int64(a.Line), 10)))
	}
	v.states[v.index] = sum
}

// states are those of Result.
func (j *Job) states() []string {
	all := make([]string, len(j.plan.set.Sources))
	var words [][]byte
	var room []byte
	for i := range all {
		words = j.plan.resolver.Texts(i, words)
		room = room[:0]
		for _, word := range words {
			room = texts.Append(room, word)
		}
		sum := prints.Of(room)
		for _, v := range j.visitors {
			sum.Add(v.states[i])
		}
		all[i] = sum.String()
	}
	return all
}

func (v *visitor) writeAside(a *tally.Aside) {
	text := func(at int) []byte {
		if at < len(a.Texts) {
			return a.Texts[at]
		}
		return nil
	}
	v.writeState(text, string(a.State), a.Why, a.Raw, a.Line)
}

// writeState writes a record; text is that of a column of the source.
func (v *visitor) writeState(text func(at int) []byte, state, why string, raw []byte, line int) {
	const delimiter = ','
	add := func(field []byte) { v.out = append(delimited.AppendField(v.out, field, delimiter), delimiter) }
	for _, column := range v.columns {
		if column < 0 {
			add(nil)
		} else {
			add(text(column))
		}
	}
	last := len(v.ours) - 1 // the source
	for _, word := range v.ours[:last] {
		add(word)
	}
	add([]byte(state))
	add([]byte(why))
	add(raw)
	add(v.ours[last])
	v.out = append(strconv.AppendInt(v.out, int64(line), 10), '\n')
}
