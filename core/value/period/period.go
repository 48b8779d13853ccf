// Package period reads the periods that files are for: years, quarters,
// months, ISO weeks and days, as ISO 8601 and as file names write them, and
// counts from one to the next.
package period

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"lastblock/core/value/date"
)

// Unit is how long a period is.
type Unit uint8

// The units.
const (
	Day Unit = iota
	Week
	Month
	Quarter
	Year
)

var unitNames = map[Unit]string{Day: "day", Week: "week", Month: "month", Quarter: "quarter", Year: "year"}

// String names a unit.
func (u Unit) String() string { return unitNames[u] }

// Period is a stretch of days. Two that are equal are the same period.
type Period struct {
	Unit  Unit
	First int // its first day, in days since 1970-01-01
}

// Parse reads a day as 2031-01-31 or 20310131, a week as 2031-W05 (ISO 8601), a
// month as 2031-01 or 203101, a quarter as 2031Q1 and a year as 2031. A hyphen
// may be missing or be a point or an underscore instead.
func Parse(text string) (Period, bool) {
	bare := strings.Map(func(r rune) rune {
		if r == '-' || r == '_' || r == '.' {
			return -1
		}
		return r
	}, strings.ToUpper(strings.TrimSpace(text)))
	if len(bare) < 4 {
		return Period{}, false
	}
	year, err := strconv.Atoi(bare[:4])
	if err != nil || year < 1 {
		return Period{}, false
	}
	rest := bare[4:]
	number := func(digits string, low, high int) (int, bool) {
		n, err := strconv.Atoi(digits)
		return n, err == nil && n >= low && n <= high && digits[0] != '+' && digits[0] != '-'
	}
	switch {
	case rest == "":
		return Period{Year, dayOf(year, 1, 1)}, true
	case len(rest) == 2 && rest[0] == 'Q':
		n, ok := number(rest[1:], 1, 4)
		return Period{Quarter, dayOf(year, 3*n-2, 1)}, ok
	case len(rest) == 3 && rest[0] == 'W':
		n, ok := number(rest[1:], 1, 53)
		p := Period{Week, firstMonday(year) + 7*(n-1)}
		return p, ok && (n < 53 || p.First < firstMonday(year+1))
	case len(rest) == 2:
		n, ok := number(rest, 1, 12)
		return Period{Month, dayOf(year, n, 1)}, ok
	case len(rest) == 4:
		month, ok := number(rest[:2], 1, 12)
		day, dayOK := number(rest[2:], 1, 31)
		if !ok || !dayOK {
			return Period{}, false
		}
		p := Period{Day, dayOf(year, month, day)}
		return p, timeOf(p.First).Day() == day
	}
	return Period{}, false
}

// dayOf counts the days from 1970-01-01.
func dayOf(year, month, day int) int {
	const secondsOfDay = 24 * 60 * 60
	seconds := time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC).Unix()
	days := seconds / secondsOfDay
	if seconds%secondsOfDay < 0 {
		days--
	}
	return int(days)
}

func timeOf(day int) time.Time { return time.Unix(int64(day)*24*60*60, 0).UTC() }

// firstMonday is the first day of a year's week 1, the one with the year's
// fourth of January in it (ISO 8601).
func firstMonday(year int) int {
	fourth := dayOf(year, 1, 4)
	return fourth - (int(timeOf(fourth).Weekday())+6)%7
}

// Next is the period behind p.
func (p Period) Next() Period {
	t := timeOf(p.First)
	switch p.Unit {
	case Day:
		p.First++
	case Week:
		p.First += 7
	case Month:
		p.First = dayOf(t.Year(), int(t.Month())+1, 1)
	case Quarter:
		p.First = dayOf(t.Year(), int(t.Month())+3, 1)
	case Year:
		p.First = dayOf(t.Year()+1, 1, 1)
	}
	return p
}

// Last is the last day, in days since 1970-01-01.
func (p Period) Last() int { return p.Next().First - 1 }

// Covers tells whether a day is in the period.
func (p Period) Covers(day int) bool { return p.First <= day && day <= p.Last() }

// String writes a period as ISO 8601 does, and a quarter as 2031Q1.
func (p Period) String() string {
	t := timeOf(p.First)
	switch p.Unit {
	case Week:
		year, week := t.ISOWeek()
		return fmt.Sprintf("%04d-W%02d", year, week)
	case Month:
		return t.Format("2006-01")
	case Quarter:
		return fmt.Sprintf("%04dQ%d", t.Year(), (int(t.Month())+2)/3)
	case Year:
		return t.Format("2006")
	}
	return date.String(p.First)
}

// mostPeriods is how many one range may have: ten thousand days are 27 years.
const mostPeriods = 10_000

// ParseRange reads a period, or all from one to another as 2031-01..2031-03.
func ParseRange(text string) ([]Period, error) {
	from, to, isRange := strings.Cut(text, "..")
	first, ok := Parse(from)
	if !ok {
		return nil, notAPeriod(from)
	}
	if !isRange {
		return []Period{first}, nil
	}
	last, ok := Parse(to)
	switch {
	case !ok:
		return nil, notAPeriod(to)
	case first.Unit != last.Unit:
		return nil, fmt.Errorf("%q goes from a %s to a %s; both ends must be of one kind", text, first.Unit, last.Unit)
	case last.First < first.First:
		return nil, fmt.Errorf("%q ends before it begins", text)
	}
	var all []Period
	for p := first; p.First <= last.First; p = p.Next() {
		if all = append(all, p); len(all) > mostPeriods {
			return nil, fmt.Errorf("%q has more than %d periods", text, mostPeriods)
		}
	}
	return all, nil
}

func notAPeriod(text string) error {
	return fmt.Errorf("%q is no period; write 2031-01, 2031Q1, 2031-W05, 2031-01-31 or 2031, or a range as "+
		"2031-01..2031-03", text)
}
