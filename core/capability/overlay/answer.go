package overlay

import (
	"slices"

	"lastblock/core/value/amount"
)

// Answer is what a source says of a figure.
type Answer struct {
	Source int    // its index in the set
	At     string // the cell, "" where it has none
	Amount amount.Amount
	Gave   bool   // the amount is in the figure
	Why    string // it is not, in words
}

// Answers are what all sources say of a figure: what they gave, the largest first, and behind them those that gave
// nothing.
func (r *Result) Answers(block, row, column int) (answers []Answer, err error) {
	of := &r.run.grid.blocks[block]
	cell := of.offset + row*len(of.columns) + column
	a := r.run.newAdder()
	a.one = true
	for n, f := range r.run.forms {
		answer := Answer{Source: f.source}
		switch {
		case f.locked:
			answer.Why = "it is protected by a password"
		case f.binary != "":
			answer.Why = "it holds " + f.binary
		case f.dropped:
			answer.Why = "it was left out"
		case f.layout == nil:
			answer.Why = "it has no figures"
		default:
			if err := r.run.answer(a, n, cell, &answer); err != nil {
				return nil, err
			}
		}
		answers = append(answers, answer)
	}
	slices.SortStableFunc(answers, func(x, y Answer) int {
		if x.Gave != y.Gave {
			return map[bool]int{true: -1, false: 1}[x.Gave]
		}
		return y.Amount.Abs().Cmp(x.Amount.Abs())
	})
	return answers, nil
}

// answer finds out what a form says of a cell of the result.
func (r *run) answer(a *adder, n, cell int, answer *Answer) error {
	f := r.forms[n]
	row, column, ok := f.spot(r.grid, cell)
	if !ok {
		answer.Why = "it has no such line, or its label differs"
		return nil
	}
	answer.At = Address(row, column)
	if err := a.add(n); err != nil {
		return err
	}
	switch v := &a.cells[cell]; v.state {
	case number:
		answer.Amount, answer.Gave = v.amount, true
	case blank:
		answer.Why = "blank"
	case ratio:
		answer.Amount, answer.Why = v.amount, "a percentage or a fraction"
	default:
		answer.Why = "no amount"
		if bad := r.badIn(f, cell); bad != nil {
			answer.Why = bad.what()
		}
	}
	return nil
}
