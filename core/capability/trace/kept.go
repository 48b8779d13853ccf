package trace

import (
	"encoding/binary"
	"errors"
	"slices"

	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/value/amount"
)

// Record is a record that was found.
type Record struct {
	Place  record.Place
	State  State
	Amount amount.Amount // zero where it is none
	// HasAmount tells whether the amount can be read.
	HasAmount bool
	Texts     [][]byte // by Columns; nil of a line that could not be read as a record
	Raw       []byte   // of such a line, as it was sent
}

// kept are records in the order of their amounts, the largest first. Beyond memory they lie in temporary files,
// and where only so many are wanted no others are kept.
type kept struct {
	most   int
	items  [][]byte // where only so many are wanted
	sorter *spill.Sorter
}

func newKept(most int, limit int64) *kept {
	k := &kept{most: most}
	if most == 0 {
		k.sorter = spill.New(limit)
	}
	return k
}

func (k *kept) add(item []byte) error {
	if k.sorter != nil {
		return k.sorter.Add(item)
	}
	k.items = append(k.items, slices.Clone(item))
	if len(k.items) >= 2*k.most+64 {
		k.cut()
	}
	return nil
}

func (k *kept) cut() {
	slices.SortFunc(k.items, slices.Compare[[]byte])
	k.items = k.items[:min(len(k.items), k.most)]
}

// take takes in what another one has kept.
func (k *kept) take(o *kept) error {
	if k.sorter == nil {
		k.items = append(k.items, o.items...)
		k.cut()
		return nil
	}
	err := spill.Merge([]*spill.Sorter{o.sorter}, k.sorter.Add)
	return errors.Join(err, o.Close())
}

func (k *kept) each(visit func(*Record) error) error {
	r := new(Record)
	take := func(item []byte) error {
		if err := r.read(item); err != nil {
			return err
		}
		return visit(r)
	}
	if k.sorter != nil {
		return spill.Merge([]*spill.Sorter{k.sorter}, take)
	}
	for _, item := range k.items {
		if err := take(item); err != nil {
			return err
		}
	}
	return nil
}

func (k *kept) Close() error { return k.sorter.Close() }

// An item is what it is sorted by, its place, and its texts: state, amount, the line as it was sent, and the
// columns.
const (
	stateText = iota
	amountText
	rawText
	columnTexts
)

// appendOrder appends a text that comes the earlier the greater the amount is, whatever its sign: how many digits
// stand before the point, and the digits, all of them turned round.
//
//	120.5  →  fffc  8 7 9 . 4  ff
func appendOrder(dst []byte, a amount.Amount) []byte {
	var room [48]byte
	digits := a.Abs().Reduce().Append(room[:0])
	whole := slices.Index(digits, '.')
	if whole < 0 {
		whole = len(digits)
	}
	if whole == 1 && digits[0] == '0' {
		whole = 0 // less than all that have a digit there
	}
	dst = binary.BigEndian.AppendUint16(dst, ^uint16(whole))
	for _, digit := range digits {
		if digit != '.' {
			dst = append(dst, '0'+'9'-digit)
		}
	}
	return append(dst, 0xff)
}

const placeBytes = 8

func (r *Record) read(item []byte) error {
	end := slices.Index(item[2:], 0xff) + 3
	r.Place = record.Place(binary.BigEndian.Uint64(item[end:]))
	rest := item[end+placeBytes:]
	r.Texts = r.Texts[:0]
	var err error
	for i := 0; len(rest) > 0; i++ {
		var text []byte
		text, rest = texts.Take(rest)
		switch i {
		case stateText:
			r.State = State(text)
		case amountText:
			r.Amount, err = amount.Parse(text, '.')
			if r.HasAmount = err == nil; err != nil && len(text) > 0 {
				return err
			}
		case rawText:
			r.Raw = text
		default:
			r.Texts = append(r.Texts, text)
		}
	}
	return nil
}
