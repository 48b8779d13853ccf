package proof

import (
	"errors"
	"testing"

	"lastblock/core/value/amount"
)

func TestCheck(t *testing.T) {
	ten := amount.New(1000, 2)
	for _, c := range []struct {
		rule  string
		proof Proof
		of    string // what does not hold, "" if all does
	}{
		{"nothing read, nothing used", Proof{}, ""},
		{"used, set aside and dropped make what was read", Proof{Count: Count{10, 7, 2, 1}}, ""},
		{"a record is lost", Proof{Count: Count{10, 9, 0, 0}}, "records"},
		{"a record is counted twice", Proof{Count: Count{10, 10, 1, 0}}, "records"},
		{"totals hold whatever their scale",
			Proof{Totals: []Total{{Column: "debit", Read: ten, Used: amount.New(10, 0)}}}, ""},
		{"a total is short by what is in suspense",
			Proof{Totals: []Total{{Column: "debit", Read: ten, Used: amount.New(4, 0), Suspense: amount.New(60, 1)}}},
			""},
		{"an amount changed", Proof{Totals: []Total{{Column: "debit", Read: ten, Used: amount.New(1001, 2)}}}, "debit"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			err := c.proof.Check()
			var failed *FailedError
			switch {
			case c.of == "" && err != nil:
				t.Errorf("the proof fails: %v", err)
			case c.of != "" && (!errors.As(err, &failed) || failed.Of != c.of):
				t.Errorf("error is %v, want one of %s", err, c.of)
			}
		})
	}
}
