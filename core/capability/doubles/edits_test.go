package doubles

import (
	"testing"
)

// slowDistance is the definition of the optimal string alignment distance, by
// recursion: the oracle.
func slowDistance(a, b []rune) int {
	switch {
	case len(a) == 0:
		return len(b)
	case len(b) == 0:
		return len(a)
	}
	n, m := len(a), len(b)
	cost := 1
	if a[n-1] == b[m-1] {
		cost = 0
	}
	best := min(slowDistance(a[:n-1], b)+1, slowDistance(a, b[:m-1])+1, slowDistance(a[:n-1], b[:m-1])+cost)
	if n > 1 && m > 1 && a[n-1] == b[m-2] && a[n-2] == b[m-1] {
		best = min(best, slowDistance(a[:n-2], b[:m-2])+1)
	}
	return best
}

func FuzzEdits(f *testing.F) {
	f.Add("10452", "10425", 1)
	f.Add("abc", "", 2)
	f.Add("ca", "abc", 3) // the distance is 3 where no edit touches what another one did
	f.Add("grün", "gürn", 1)
	f.Fuzz(func(t *testing.T, a, b string, most int) {
		const longest = 7
		x, y := []rune(a), []rune(b)
		x, y = x[:min(len(x), longest)], y[:min(len(y), longest)]
		most = min(max(most, 0), longest)
		want := min(slowDistance(x, y), most+1)
		if got := editDistance(x, y, most); got != want {
			t.Errorf("from %q to %q there are %d edits of up to %d, want %d", string(x), string(y), got, most, want)
		}
	})
}

func TestHowTextsDiffer(t *testing.T) {
	for _, c := range []struct{ a, b, want string }{
		{"10452", "10425", "two digits transposed"},
		{"INV12", "IVN12", "two characters transposed"},
		{"10452", "10453", "one digit differs"},
		{"1045", "10453", "one digit more in B"},
		{"10453", "1045", "one digit less in B"},
		{"A-1", "A1", "one character less in B"},
		{"12345", "21354", "2 edits apart"},
	} {
		a, b := []rune(c.a), []rune(c.b)
		if got := explain(a, b, editDistance(a, b, 3)); got != c.want {
			t.Errorf("from %s to %s: %s, want %s", c.a, c.b, got, c.want)
		}
	}
}

func TestConditions(t *testing.T) {
	for _, c := range []struct {
		text    string
		amounts []string
		want    string // "" for an error
	}{
		{"amount:0.01, posted:3d, doc:1, party:same", nil,
			"[{amount 2 0.01 0} {posted 3 0 3} {doc 4 0 1} {party 0 0 0}]"},
		{"amount:1,party:same", []string{"amount"}, "[{amount 2 1 0} {party 0 0 0}]"},
		{"time:of day:same", nil, "[{time:of day 0 0 0}]"},
		{"net:opposite", nil, "[{net 1 0 0}]"},
		{"doc:1", nil, ""},
		{"amount:-1", []string{"amount"}, ""},
		{"posted:d", nil, ""},
		{"party:alike", nil, ""},
		{"party", nil, ""},
		{"party:same, party:1", nil, ""},
		{"", nil, ""},
	} {
		got := ""
		if near, err := ParseNear(c.text, c.amounts); err == nil {
			got = fmtConditions(near)
		}
		if got != c.want {
			t.Errorf("%q is %s, want %s", c.text, got, c.want)
		}
	}
}
