// Package proof shows that a result is complete: for the count of records and
// for every total, what was read is what was used, set aside and dropped.
package proof

import (
	"fmt"

	"lastblock/core/value/amount"
)

// Count is the proof of the number of records, or part of it.
type Count struct {
	Read, Used, Suspense, Dropped int
}

// Total is the proof of one column's total.
type Total struct {
	Column                        string
	Read, Used, Suspense, Dropped amount.Amount

	Unread int // records in suspense whose amount cannot be read, and so is in no figure
}

// Proof is the proof of one result. Read is counted where records are read,
// Used where the result is made, each on its own; that they agree is what it
// proves.
type Proof struct {
	Count
	Totals []Total
	Left   []Left // of what was dropped, what somebody has decided to leave out
}

// Left is what was left out of one source for one reason.
type Left struct {
	Source  string
	Sheet   string
	Records int
	Totals  []amount.Amount // by Proof.Totals
	Kind    string          // of the finding that it goes back to
	Reason  string
}

// FailedError says that a result is not complete. It is a fault of Lastblock,
// never of the data.
type FailedError struct {
	Of                      string // "records", or the column
	Read, Used, Aside, Lost string
}

func (e *FailedError) Error() string {
	return fmt.Sprintf("internal error: the proof of %s does not hold: read %s, used %s, set aside %s; %s "+
		"unaccounted for. Nothing was written; please report this",
		e.Of, e.Read, e.Used, e.Aside, e.Lost)
}

// Check returns a *FailedError where read = used + suspense + dropped does not
// hold.
func (p *Proof) Check() error {
	if lost := p.Read - p.Used - p.Suspense - p.Dropped; lost != 0 {
		return &FailedError{"records", fmt.Sprint(p.Read), fmt.Sprint(p.Used), fmt.Sprint(p.Suspense + p.Dropped),
			fmt.Sprint(lost)}
	}
	for _, t := range p.Totals {
		var aside amount.Sum
		aside.Add(t.Suspense)
		aside.Add(t.Dropped)
		if lost := t.Read.Sub(t.Used).Sub(aside.Amount()); lost.Sign() != 0 {
			return &FailedError{t.Column, t.Read.String(), t.Used.String(), aside.Amount().String(), lost.String()}
		}
	}
	return nil
}
