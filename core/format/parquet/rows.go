package parquet

import (
	"math"
	"slices"

	"lastblock/core/format/delimited"
	"lastblock/core/record"
)

// Rows are some rows of a file as they are stored there, column by column. They are copied out of its pages, so that
// one goroutine can make texts of them while another one reads on.
type Rows struct {
	leaves  []leaf
	columns []values
	data    []byte // the texts that Compose made
	room    []byte // for texts that get quotes
	made    bool   // the texts were made when the rows were read
}

// values are those of one column, row by row.
type values struct {
	nulls []bool   // which are null; none where no value is
	words []int64  // of whole numbers and floats, and of decimals as far as 64 bits hold all of them
	bytes []byte   // of all others, one behind the other
	ends  []uint32 // where each of these ends
	memo  memo
}

// memo remembers texts of codes. A month has few days, and few prices have many digits; amounts, of which nearly all
// are different, take less time to write than to remember.
type memo []remembered

type remembered struct {
	code   int64
	text   [31]byte
	length uint8 // 0: none
}

// append appends the text of a code.
func (m *memo) append(dst []byte, form record.Form, code int64) []byte {
	if _, ok := form.(decimalForm); ok {
		return form.Append(dst, code)
	}
	const size = 64
	if *m == nil {
		*m = make(memo, size)
	}
	at := &(*m)[uint64(code)%size]
	if at.length == 0 || at.code != code {
		text := form.Append(at.text[:0], code)
		if at.code, at.length = code, uint8(len(text)); len(text) > len(at.text) {
			at.length = 0
			return append(dst, text...)
		}
	}
	return append(dst, at.text[:at.length]...)
}

// reset makes ready for other rows.
func (r *Rows) reset(leaves []leaf) {
	if len(r.leaves) > 0 && len(leaves) > 0 && &r.leaves[0] != &leaves[0] { // of another file
		r.columns = nil
	}
	r.leaves, r.made = leaves, false
	for len(r.columns) < len(leaves) {
		r.columns = append(r.columns, values{})
	}
	r.columns = r.columns[:len(leaves)]
	for i := range r.columns {
		r.columns[i].reset()
	}
}

// size is roughly how many bytes they take.
func (v *values) size() int {
	const word, end = 8, 4
	return word*len(v.words) + len(v.bytes) + end*len(v.ends)
}

func (v *values) reset() {
	v.nulls, v.words, v.bytes, v.ends = v.nulls[:0], v.words[:0], v.bytes[:0], v.ends[:0]
}

// at is the value of a row that is not null.
func (v *values) at(row int) value {
	if len(v.ends) == 0 {
		return value{word: v.words[row]}
	}
	from := uint32(0)
	if row > 0 {
		from = v.ends[row-1]
	}
	return value{bytes: v.bytes[from:v.ends[row]]}
}

// Store hands on the columns of rows that Next has read, and tells whether all of them are codes or texts, so that
// records can do without Compose.
func (r *Rows) Store(b *record.Batch) (whole bool) {
	b.Stored = b.Stored[:0]
	if r.made {
		return false
	}
	whole = true
	for i := range r.columns {
		column, leaf := &r.columns[i], &r.leaves[i]
		column.hold(leaf.form)
		stored := column.codes(leaf.form)
		if leaf.raw {
			stored.Bytes, stored.Ends = column.bytes, column.ends
		}
		b.Stored = append(b.Stored, stored)
		whole = whole && (leaf.raw && len(stored.Ends) == b.Rows || stored.Form != nil)
	}
	return whole
}

// Compose makes the texts of rows that Next has read, and that were stored.
func (r *Rows) Compose(b *record.Batch) {
	if r.made {
		return
	}
	data := r.data[:0]
	b.Bounds = slices.Grow(b.Bounds[:0], b.Rows*b.Width+1)
	b.Chained = b.Width > 0
	for row := range b.Rows {
		if row == 0 || !b.Chained {
			b.Bounds = append(b.Bounds, uint32(len(data))-1)
		}
		for i := range r.columns {
			leaf, column := &r.leaves[i], &r.columns[i]
			if i > 0 {
				data = append(data, ',')
			}
			switch {
			case len(column.nulls) > 0 && column.nulls[row]:
			case leaf.form != nil && len(column.ends) == 0:
				data = column.memo.append(data, leaf.form, column.words[row])
			case leaf.raw:
				data = delimited.AppendField(data, column.at(row).bytes, ',')
			default:
				from := len(data)
				if data = leaf.append(data, column.at(row)); !leaf.bare {
					data = delimited.CloseField(data, from, ',', &r.room)
				}
			}
			b.Bounds = append(b.Bounds, uint32(len(data)))
		}
		data = append(data, '\n')
	}
	b.Data, r.data = data, data
}

// hold has decimals that are stored as bytes be words, if they fit.
func (v *values) hold(form record.Form) {
	if _, ok := form.(decimalForm); !ok || len(v.ends) == 0 {
		return
	}
	v.words = v.words[:0]
	from := uint32(0)
	for row, end := range v.ends {
		n, ok := whole(v.bytes[from:end])
		if from = end; !ok && (len(v.nulls) == 0 || !v.nulls[row]) {
			v.words = v.words[:0]
			return
		}
		v.words = append(v.words, n)
	}
	v.ends = v.ends[:0]
}

// codes are the codes of a column, none where its text is that of another code, too.
func (v *values) codes(form record.Form) record.Stored {
	if form == nil || len(v.ends) > 0 {
		return record.Stored{}
	}
	if _, ok := form.(floatForm); ok && slices.ContainsFunc(v.words, isAmbiguous) {
		return record.Stored{}
	}
	return record.Stored{Codes: v.words, Form: form, Nulls: v.nulls}
}

// isAmbiguous tells whether the text of a float is that of others, too: zero has two signs, and what is no number many
// codes.
func isAmbiguous(code int64) bool {
	v := math.Float64frombits(uint64(code))
	return v == 0 && code != 0 || math.IsNaN(v)
}
