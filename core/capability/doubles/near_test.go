package doubles

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

func fmtConditions(n Near) string {
	var parts []string
	for _, c := range n.Conditions {
		parts = append(parts, fmt.Sprintf("{%s %d %s %d}", c.Column, c.Kind, c.Within, c.Most))
	}
	return "[" + strings.Join(parts, " ") + "]"
}

func TestWhatIsNear(t *testing.T) {
	const head = "doc,posted,party,amount\n"
	for _, c := range []struct {
		rule, near, records string
		want                []string // lines and the reason
	}{
		{"within the tolerance", "amount:0.05, party:same",
			"1,2031-01-01,P,10.00\n2,2031-01-01,P,10.05\n3,2031-01-01,P,10.11\n4,2031-01-01,Q,10.05\n", []string{
				"2 3 same party, amount 10/10.05: 0.05 apart",
			}},
		{"a tolerance goes over zero", "amount:1.00, party:same",
			"1,2031-01-01,P,-0.40\n2,2031-01-01,P,0.60\n3,2031-01-01,P,1.61\n", []string{
				"2 3 same party, amount -0.4/0.6: 1.0 apart",
			}},
		{"within days, over the end of a year", "posted:2d, party:same",
			"1,2030-12-31,P,1\n2,2031-01-02,P,2\n3,2031-01-05,P,3\n", []string{
				"2 3 same party, posted 2030-12-31/2031-01-02: 2 days apart",
			}},
		{"no edits is the same", "doc:0, party:same", "17,2031-01-01,P,1\n17,2031-01-02,P,2\n18,2031-01-02,P,2\n",
			[]string{"2 3 same doc and party"}},
		{"two edits", "doc:2, party:same", "INV-1,2031-01-01,P,1\nINV1 ,2031-01-02,P,2\nINV-999,2031-01-02,P,2\n",
			[]string{"2 3 same party, doc INV-1/INV1 : 2 edits apart"}},
		{"a reversal", "amount:opposite, party:same",
			"1,2031-01-01,P,10.00\n2,2031-01-09,P,-10\n3,2031-01-09,P,0.00\n4,2031-01-09,P,0\n",
			[]string{"2 3 same party, amount 10/-10: the opposite"}},
		{"what is the same in all columns is told as that", "amount:0.05, party:same",
			"1,2031-01-01,P,10.00\n1,2031-01-01,P,10.00\n", nil},
		{"a blank amount is near none", "amount:0.05, party:same", "1,2031-01-01,P,\n2,2031-01-01,P,0.01\n", nil},
		{"blank and blank are the same", "amount:0.05, party:same", "1,2031-01-01,,7\n2,2031-01-01,,7.01\n",
			[]string{"2 3 same party, amount 7/7.01: 0.01 apart"}},
		{"a large amount", "amount:0.01, party:same",
			"1,2031-01-01,P,12345678901234567890.00\n2,2031-01-01,P,12345678901234567890.01\n" +
				"3,2031-01-01,P,12345678901234567890.03\n", []string{
				"2 3 same party, amount 12345678901234567890/12345678901234567890.01: 0.01 apart",
			}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r := find(t, "", map[string]string{"a.csv": head + c.records}, sourcetest.Reading,
				Options{Near: []Near{near(t, c.near)}})
			var got []string
			for _, f := range r.Findings {
				if f.Kind == finding.NearRecord || f.Kind == finding.Reversal {
					if (f.Kind == finding.Reversal) != strings.Contains(c.near, "opposite") {
						t.Errorf("it is told as %s", f.Kind)
					}
					got = append(got, fmt.Sprintf("%d %d %s", f.Places[0].Line, f.Places[1].Line, f.Message))
				}
			}
			if !slices.Equal(got, c.want) {
				t.Errorf("near are %q\nwant     %q", got, c.want)
			}
		})
	}
}

// The oracle compares each record with every other one.
func TestNearAgainstAllPairs(t *testing.T) {
	var b strings.Builder
	b.WriteString("doc,posted,party,amount\n")
	type voucher struct {
		doc                 string
		day, party, hundred int
	}
	var all []voucher
	for i := range 300 {
		v := voucher{fmt.Sprint(1000 + i*13%97), i * 7 % 25, i % 3, i * 31 % 40}
		all = append(all, v)
		fmt.Fprintf(&b, "%s,2031-01-%02d,P%d,%d.%02d\n", v.doc, v.day+1, v.party, v.hundred/100, v.hundred%100)
	}
	want := make(map[string]bool)
	for i, a := range all {
		for k := i + 1; k < len(all); k++ {
			c := all[k]
			if a == c || a.party != c.party || max(a.day-c.day, c.day-a.day) > 2 ||
				max(a.hundred-c.hundred, c.hundred-a.hundred) > 3 ||
				slowDistance([]rune(a.doc), []rune(c.doc)) > 1 {
				continue
			}
			want[fmt.Sprint(i+2, k+2)] = true
		}
	}
	for _, reading := range []source.Reading{sourcetest.Reading, {Jobs: 1, Memory: 1}} {
		r := find(t, "", map[string]string{"a.csv": b.String()}, reading,
			Options{Near: []Near{near(t, "amount:0.03, posted:2d, doc:1, party:same")}})
		found := 0
		for _, f := range r.Findings {
			if f.Kind != finding.NearRecord {
				continue
			}
			found++
			if key := fmt.Sprint(f.Places[0].Line, f.Places[1].Line); !want[key] {
				t.Errorf("lines %s are told: %s", key, f.Message)
			}
		}
		if found != len(want) || found < 10 {
			t.Errorf("%d pairs are told, of %d", found, len(want))
		}
	}
}

// In a block in which all are alike, only some are told, in little time.
func TestACrowdIsNotComparedForEver(t *testing.T) {
	var b strings.Builder
	b.WriteString("doc,party,amount\n")
	for i := range 20_000 {
		fmt.Fprintf(&b, "%d,P,39.00\n", i)
	}
	r := find(t, "", map[string]string{"a.csv": b.String()}, sourcetest.Reading,
		Options{Near: []Near{near(t, "amount:0.01, party:same")}})
	crowd := false
	for _, f := range r.Findings {
		crowd = crowd || f.Kind == finding.CommonRecord && strings.Contains(f.Message, "more than 20 others")
	}
	if !crowd {
		t.Error("nobody says that not all are told")
	}
}
