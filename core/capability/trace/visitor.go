package trace

import (
	"bytes"
	"context"
	"encoding/binary"

	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// visitor finds records in what one goroutine reads.
type visitor struct {
	job   *Job
	tally *tally.Visitor
	bound *tally.Binding

	given                   map[int]*Given // by source
	others                  []amount.Sum   // by amount column: all that are not of the figure
	used                    int
	suspense, dropped, left Aside
	kept, aside             *kept

	layout  *record.Layout
	index   int   // of the source, plus one
	columns []int // of the source, by column of the result; -1 where it has none
	sum     int   // where the amounts are, -1 where there are none
	ours    [][]byte
	item    []byte
	scratch []byte
}

func (v *visitor) Batch(b *source.Batch) error {
	conditions := 0 // records that were dropped before decisions take some more
	if b.Dropped != nil {
		conditions = b.Dropped.Rows
	}
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	v.enter(b)
	n := v.tally.Usable(b)
	v.used += n
	var given *Given
	next := 0 // of the rows that are used
	for row := range b.Batch.Rows {
		isUsed := next < n && v.tally.Row(next) == row
		var value amount.Amount
		says := v.says(b, &b.Batch, row)
		if isUsed {
			value = v.take(next, says)
			next++
		}
		switch {
		case !says:
		case !isUsed:
			if err := v.putAside(b, &b.Batch, row, Suspense, &v.suspense); err != nil {
				return err
			}
		default:
			if given == nil {
				given = v.givenBy(b.Index)
			}
			given.Records++
			given.Amount = given.Amount.Add(value)
			v.begin(b, value, true, b.Line(row), Used)
			if err := v.kept.add(v.appendTexts(b, &b.Batch, row)); err != nil {
				return err
			}
		}
	}
	return v.visitAside(b, conditions)
}

// take is the amount of the i-th record that is used; those of other figures and columns are only added up.
func (v *visitor) take(i int, says bool) amount.Amount {
	width := len(v.others)
	values := v.tally.Values[i*width : (i+1)*width]
	for k, value := range values {
		if k > 0 || !says {
			v.others[k].Add(value)
		}
	}
	return values[0]
}

// visitAside looks at what is not among the records of a batch.
func (v *visitor) visitAside(b *source.Batch, conditions int) error {
	if b.Dropped != nil {
		for row := range b.Dropped.Rows {
			if row < conditions && v.job.chosen || !v.says(b, b.Dropped, row) {
				continue
			}
			state, aside := Dropped, &v.dropped
			if row >= conditions {
				state, aside = Left, &v.left
			}
			if err := v.putAside(b, b.Dropped, row, state, aside); err != nil {
				return err
			}
		}
	}
	for i := range b.Refused {
		refused := &b.Refused[i]
		if !v.maySay(b, refused.Raw) {
			continue
		}
		v.suspense.Records++
		v.suspense.Unread++
		v.begin(b, amount.Amount{}, false, refused.Line, Suspense)
		v.item = texts.Append(v.item, refused.Raw)
		if err := v.aside.add(v.item); err != nil {
			return err
		}
	}
	return nil
}

func (v *visitor) Part(ctx context.Context, task int) error { return v.tally.Part(ctx, task) }

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// enter finds the columns in the source of a batch.
func (v *visitor) enter(b *source.Batch) {
	v.bound.To(b)
	if v.index == b.Index+1 {
		return
	}
	v.index = b.Index + 1
	v.ours = v.ours[:0]
	for i, text := range v.job.resolver.Texts(b.Index, nil) {
		if word := v.job.resolver.Ours[i].Word; word != record.SourceColumn && word != record.LineColumn {
			v.ours = append(v.ours, text)
		}
	}
	if v.layout == b.Head.Layout {
		return
	}
	v.layout = b.Head.Layout
	find := func(name string) int {
		if at, ok := v.layout.Find(name); ok {
			return at
		}
		return -1
	}
	v.columns, v.sum = v.columns[:0], find(v.job.sum)
	for _, name := range v.job.names {
		v.columns = append(v.columns, find(name))
	}
}

func (v *visitor) givenBy(index int) *Given {
	if v.given[index] == nil {
		v.given[index] = new(Given)
	}
	return v.given[index]
}

// says tells whether a record says all the words.
func (v *visitor) says(b *source.Batch, of *record.Batch, row int) bool {
	for k, value := range v.job.values {
		text := v.bound.Bound[k].Constant
		if at := v.bound.Bound[k].Column; at >= 0 {
			text = of.Text(row, at, &v.scratch)
		}
		if !bytes.Equal(text, value) {
			return false
		}
	}
	return true
}

// maySay tells whether a line that could not be read as a record has all the words somewhere.
func (v *visitor) maySay(b *source.Batch, line []byte) bool {
	for k, value := range v.job.values {
		if v.bound.Bound[k].Column < 0 {
			if !bytes.Equal(v.bound.Bound[k].Constant, value) {
				return false
			}
			continue
		}
		found := false
		for field := range bytes.SplitSeq(line, []byte{b.Head.Delimiter}) {
			found = found || bytes.Equal(bytes.Trim(field, " \"'"), value)
		}
		if !found {
			return false
		}
	}
	return true
}

// putAside keeps a record that is not used.
func (v *visitor) putAside(b *source.Batch, of *record.Batch, row int, state State, aside *Aside) error {
	var value amount.Amount
	var read bool
	aside.Records++
	if v.sum >= 0 {
		var err error
		if value, err = amount.Parse(of.Text(row, v.sum, &v.scratch), b.DecimalOf(v.sum)); err != nil {
			value = amount.Amount{}
			aside.Unread++
		}
		read = err == nil
		aside.Amount.Add(value)
	}
	v.begin(b, value, read, of.Line(row), state)
	return v.aside.add(v.appendTexts(b, of, row))
}

// begin begins an item.
func (v *visitor) begin(b *source.Batch, value amount.Amount, read bool, line int, state State) {
	v.item = appendOrder(v.item[:0], value)
	v.item = binary.BigEndian.AppendUint64(v.item, uint64(record.PlaceOf(b.Index, line)))
	v.item = texts.Append(v.item, []byte(state))
	var room [48]byte
	text := room[:0]
	if read {
		text = value.Append(text)
	}
	v.item = texts.Append(v.item, text)
}

// appendTexts ends an item with the texts of a record.
func (v *visitor) appendTexts(b *source.Batch, of *record.Batch, row int) []byte {
	v.item = texts.Append(v.item, nil) // it is no line that could not be read
	for _, at := range v.columns {
		var text []byte
		if at >= 0 {
			text = of.Text(row, at, &v.scratch)
		}
		v.item = texts.Append(v.item, text)
	}
	for _, text := range v.ours {
		v.item = texts.Append(v.item, text)
	}
	return v.item
}
