package overlay

import (
	"testing"

	"lastblock/core/value/amount"
)

// A difference is forgiven where binary64 may have made it, and only of figures that it has computed.
func TestFloating(t *testing.T) {
	for _, c := range []struct {
		rule       string
		figures    []string
		difference string
		holds      bool
	}{
		{"0.1 + 0.2 as binary64 has it", []string{"0.1", "0.2", "0.30000000000000004"}, "0.00000000000000004", true},
		{"a share with its last digit off", []string{"0.5105383131685078", "0.4894616868314922", "1"},
			"0.0000000000000001", true},
		{"a cent too many beside such a share", []string{"0.5105383131685078", "100.00", "100.52"}, "0.01", false},
		{"three units of 2^-53 of four, and not a thousand", []string{"0.3333333333333333", "0.3333333333333333",
			"0.3333333333333333", "1"}, "0.0000000000001", false},
		{"of typed figures a difference counts, be it small", []string{"0.1", "0.2", "0.30001"}, "0.00001", false},
		{"as does the least one of their own digits", []string{"100000.01", "100000.02", "200000.04"}, "0.01", false},
		{"no difference", []string{"1", "2", "3"}, "0", true},
	} {
		var f floating
		for _, text := range c.figures {
			a, err := amount.Parse([]byte(text), '.')
			if err != nil {
				t.Fatal(err)
			}
			f.add(&value{amount: a, state: number})
		}
		difference, err := amount.Parse([]byte(c.difference), '.')
		if err != nil {
			t.Fatal(err)
		}
		if f.holds(difference) != c.holds {
			t.Errorf("%s: it holds %v", c.rule, !c.holds)
		}
	}
}
