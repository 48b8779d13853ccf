package period

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"lastblock/core/value/date"
)

// The days follow from the calendar: 2031-01-01 is a Wednesday, so that the
// Monday of its first ISO week is 2030-12-30.
func TestParse(t *testing.T) {
	for _, c := range []struct{ text, as, first, last string }{
		{"2031-01", "2031-01", "2031-01-01", "2031-01-31"},
		{"203102", "2031-02", "2031-02-01", "2031-02-28"},
		{"2032_02", "2032-02", "2032-02-01", "2032-02-29"},
		{"2031-12", "2031-12", "2031-12-01", "2031-12-31"},
		{"2031Q1", "2031Q1", "2031-01-01", "2031-03-31"},
		{"2031-q4", "2031Q4", "2031-10-01", "2031-12-31"},
		{"2031-W01", "2031-W01", "2030-12-30", "2031-01-05"},
		{"2031W05", "2031-W05", "2031-01-27", "2031-02-02"},
		{"2032-W53", "2032-W53", "2032-12-27", "2033-01-02"},
		{"2031-01-31", "2031-01-31", "2031-01-31", "2031-01-31"},
		{"20310228", "2031-02-28", "2031-02-28", "2031-02-28"},
		{" 2031 ", "2031", "2031-01-01", "2031-12-31"},
		{"1969-12", "1969-12", "1969-12-01", "1969-12-31"},
	} {
		p, ok := Parse(c.text)
		if !ok || p.String() != c.as || date.String(p.First) != c.first || date.String(p.Last()) != c.last {
			t.Errorf("%q is %v, %s from %s to %s; want %s from %s to %s", c.text, ok, p, date.String(p.First),
				date.String(p.Last()), c.as, c.first, c.last)
		}
		if !p.Covers(p.First) || !p.Covers(p.Last()) || p.Covers(p.First-1) || p.Covers(p.Last()+1) {
			t.Errorf("%q does not cover its own days alone", c.text)
		}
	}
	for _, text := range []string{"", "31", "2031-13", "2031-00", "2031Q5", "2031Q0", "2031-W00", "2031-W53",
		"2031-W54", "2031-02-29", "2031-01-32", "January", "2031-1", "2031-Q12", "2031-+1", "0000-01"} {
		if p, ok := Parse(text); ok {
			t.Errorf("%q is read as %s", text, p)
		}
	}
}

// Counting on must come by every period once: the oracle steps day by day
// through the calendar of package time.
func TestNextLeavesNoDayOut(t *testing.T) {
	for _, start := range []string{"2031-01-01", "2031-W01", "2031-01", "2031Q1", "2031"} {
		p, _ := Parse(start)
		for day, end := p.First, p.First+2000; day < end; day++ {
			if !p.Covers(day) {
				p = p.Next()
			}
			again, ok := Parse(p.String())
			if !p.Covers(day) || !ok || again != p {
				t.Fatalf("from %s on, %s is not in %s", start, date.String(day), p)
			}
			at := time.Unix(int64(day)*86400, 0).UTC()
			if year, week := at.ISOWeek(); p.Unit == Week && p.String() != fmt.Sprintf("%d-W%02d", year, week) {
				t.Fatalf("%s is in %s, want week %d", date.String(day), p, week)
			}
		}
	}
}

func TestRanges(t *testing.T) {
	for text, want := range map[string]string{
		"2031-11..2032-02":       "2031-11 2031-12 2032-01 2032-02",
		"2031Q3..2032Q1":         "2031Q3 2031Q4 2032Q1",
		"2031-W51..2032-W02":     "2031-W51 2031-W52 2032-W01 2032-W02",
		"2031-02-27..2031-03-01": "2031-02-27 2031-02-28 2031-03-01",
		"2031-05":                "2031-05",
		"2031-05..2031-05":       "2031-05",
	} {
		all, err := ParseRange(text)
		var got []string
		for _, p := range all {
			got = append(got, p.String())
		}
		if err != nil || strings.Join(got, " ") != want {
			t.Errorf("%s is %v, %v; want %s", text, got, err, want)
		}
	}
	for text, reason := range map[string]string{
		"2031-01..2031Q2":        "both ends",
		"2031-03..2031-01":       "ends before",
		"2031-01..":              "no period",
		"soon":                   "no period",
		"1900-01-01..2031-01-01": "more than",
	} {
		if _, err := ParseRange(text); err == nil || !strings.Contains(err.Error(), reason) {
			t.Errorf("%s: error %v, want one that says %q", text, err, reason)
		}
	}
}

// FuzzParse reads what it has read and written again, and finds each period in
// the calendar of package time.
func FuzzParse(f *testing.F) {
	for _, seed := range []string{"2031-01", "2031Q4", "2032-W53", "20320229", "2031", "9999-12-31", "0001"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		p, ok := Parse(text)
		if !ok {
			return
		}
		if again, ok := Parse(p.String()); !ok || again != p {
			t.Errorf("%q is %s, which is read as %s, %v", text, p, again, ok)
		}
		first := time.Unix(int64(p.First)*86400, 0).UTC()
		days := map[Unit][2]int{Day: {1, 1}, Week: {7, 7}, Month: {28, 31}, Quarter: {90, 92}, Year: {365, 366}}[p.Unit]
		if n := p.Last() - p.First + 1; n < days[0] || n > days[1] || p.Next().First != p.Last()+1 {
			t.Errorf("%s has %d days", p, n)
		}
		if p.Unit == Week && first.Weekday() != time.Monday || p.Unit != Day && p.Unit != Week && first.Day() != 1 {
			t.Errorf("%s begins on %s", p, first)
		}
	})
}
