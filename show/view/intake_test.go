package view

import (
	"testing"

	"lastblock/core/capability/intake"
)

func TestBetweenSaysTheYearOnce(t *testing.T) {
	for _, c := range []struct{ first, last, want string }{
		{"2031-01-02", "2031-01-23", "2031-01-02 – 01-23"},
		{"2030-12-28", "2031-01-23", "2030-12-28 – 2031-01-23"},
		{"", "", ""},
	} {
		if got := between(&intake.Sheet{FirstDate: c.first, LastDate: c.last}); got != c.want {
			t.Errorf("between %s and %s is %q, want %q", c.first, c.last, got, c.want)
		}
	}
}
