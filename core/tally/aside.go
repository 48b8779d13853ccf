package tally

import (
	"bytes"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/record"
	"lastblock/core/source"
)

// State is what became of a record.
type State string

// The states of records that are not used.
const (
	Suspended State = "suspense" // it could not be used
	Dropped   State = "dropped"  // a condition left it out
	LeftOut   State = "left"     // somebody has decided to leave it out
)

// Aside is a record that is not used.
type Aside struct {
	State State
	Why   string // the kind of the finding, the column, or who has decided what
	Line  int
	Texts [][]byte // by column of the batch; nil of a line that has no fields
	Raw   []byte   // of such a line
}

// giveRow gives a record that is not used to who asks for them.
func (v *Visitor) giveRow(records *record.Batch, row int, state State, why string) {
	if v.Aside == nil {
		return
	}
	a := Aside{State: state, Why: why, Line: records.Line(row), Texts: make([][]byte, records.Width)}
	for i := range a.Texts {
		a.Texts[i] = bytes.Clone(records.Text(row, i, &v.scratch))
	}
	v.Aside(&a)
}

// giveDropped gives the records that a condition left out.
func (v *Visitor) giveDropped(b *source.Batch) {
	if v.Aside == nil || b.Dropped == nil {
		return
	}
	for row := range b.Dropped.Rows {
		v.giveRow(b.Dropped, row, Dropped, "where")
	}
}

// giveRefused gives a line that was refused: with its fields where it has some, as they were sent.
func (v *Visitor) giveRefused(b *source.Batch, i int, state State, why string) {
	if v.Aside == nil {
		return
	}
	refusal := &b.Refused[i]
	a := Aside{State: state, Why: why, Line: refusal.Line, Raw: bytes.Clone(refusal.Raw)}
	if sent, _ := b.Sent(); sent != nil && refusal.Rank > 0 {
		a.Texts, a.Raw = make([][]byte, len(b.Head.Layout.Columns)), nil
		for column := range a.Texts {
			if at := b.Head.Layout.Sent(column); at >= 0 && at < sent.Width {
				a.Texts[column] = bytes.Clone(sent.Text(refusal.Rank-1, at, &v.scratch))
			}
		}
	}
	v.Aside(&a)
}

// whyRefused says why a line was refused, and whyLeft why a record was left out.
func whyRefused(kind finding.Kind, column string) string {
	if column == "" {
		return string(kind)
	}
	return string(kind) + " " + column
}

func whyLeft(reason drop.Reason) string {
	if reason.Text == "" {
		return string(reason.Kind)
	}
	return string(reason.Kind) + ": " + reason.Text
}
