package source

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"lastblock/core/value/date"
	"lastblock/core/value/period"
)

// periodPart is a part of a period as a file's name has it, by the letters of its form.
type periodPart byte

// The parts of a period, by what their letters stand for.
const (
	yearPart      periodPart = iota + 1 // YYYY
	shortYearPart                       // YY, of the 21st century
	monthPart                           // MM, or M for one digit or two
	namePart                            // MMM, a month's English name or its first three letters
	dayPart                             // DD, or D
	weekPart                            // ww, of ISO 8601
	quarterPart                         // q
)

// periodLetters are what a form may hold, the longer ones first, with the regular expression
// of each.
var periodLetters = []struct {
	letters string
	part    periodPart
	form    string
}{
	{"YYYY", yearPart, `\d{4}`}, {"YY", shortYearPart, `\d{2}`},
	{"MMM", namePart, monthNames()}, {"MM", monthPart, `\d{2}`}, {"M", monthPart, `\d{1,2}`},
	{"DD", dayPart, `\d{2}`}, {"D", dayPart, `\d{1,2}`},
	{"ww", weekPart, `\d{2}`}, {"q", quarterPart, `[1-4]`},
}

// monthNames is a form of all names of months, the longer ones first.
func monthNames() string {
	var names []string
	for m := time.January; m <= time.December; m++ {
		names = append(names, m.String())
	}
	for m := time.January; m <= time.December; m++ {
		names = append(names, m.String()[:3])
	}
	return `(?i:` + strings.Join(names, "|") + `)`
}

// periodForm reads the form of a period, as MM-YYYY or YYYYWww, and returns the parts in it
// and a regular expression that finds them. Letters stand for parts as in ISO 8601, where W
// and Q are themselves; a blank, a digit or a sign is itself, too.
func periodForm(form string) (expression string, parts []periodPart, err error) {
	var out strings.Builder
next:
	for rest := form; rest != ""; {
		for _, l := range periodLetters {
			if strings.HasPrefix(rest, l.letters) {
				out.WriteString("(" + l.form + ")")
				parts = append(parts, l.part)
				rest = rest[len(l.letters):]
				continue next
			}
		}
		c := rest[0]
		if 'a' <= c|0x20 && c|0x20 <= 'z' && c != 'W' && c != 'Q' {
			return "", nil, fmt.Errorf("%q in {period:%s} stands for nothing; letters are YYYY or YY, MM, M or MMM "+
				"(a month's name), DD or D, ww (a week, as in YYYYWww) and q (a quarter, as in YYYYQq)", string(c),
				form)
		}
		out.WriteString(regexp.QuoteMeta(rest[:1]))
		rest = rest[1:]
	}
	if parts == nil {
		return "", nil, fmt.Errorf("{period:%s} has no part of a period; write for example {period:MM-YYYY}", form)
	}
	return out.String(), parts, nil
}

// checkParts makes sure that parts are those of one period.
func checkParts(parts []periodPart) error {
	has := func(wanted ...periodPart) (n int) {
		for _, part := range parts {
			if slices.Contains(wanted, part) {
				n++
			}
		}
		return n
	}
	switch year, month, day, other := has(yearPart, shortYearPart), has(monthPart, namePart), has(dayPart),
		has(weekPart, quarterPart); {
	case year != 1:
		return errors.New("the forms of {period} need one year, YYYY or YY")
	case month > 1 || day > 1 || other > 1 || other > 0 && month+day > 0:
		return errors.New("the forms of {period} name several periods")
	case day > 0 && month == 0:
		return errors.New("the forms of {period} need the month of the day, MM or MMM")
	}
	return nil
}

// periodParts are what a name says of its period.
type periodParts struct {
	year, month, day, week, quarter int
	any                             bool
}

// add takes in a part; ok is false for a text that is none.
func (p *periodParts) add(part periodPart, text string) (ok bool) {
	p.any = true
	if part == namePart {
		p.month = date.Month(text)
		return p.month > 0
	}
	n, err := strconv.Atoi(text)
	switch part {
	case yearPart:
		p.year = n
	case shortYearPart:
		p.year = 2000 + n
	case monthPart:
		p.month = n
	case dayPart:
		p.day = n
	case weekPart:
		p.week = n
	case quarterPart:
		p.quarter = n
	}
	return err == nil && (n > 0 || part == shortYearPart)
}

// text writes the period as all other sources have it, as in ISO 8601: 2031, 2031-03,
// 2031-03-31, 2031-W05, and 2031Q1. ok is false where there is no such period.
func (p *periodParts) text() (text string, ok bool) {
	switch {
	case p.week > 0:
		text = fmt.Sprintf("%04d-W%02d", p.year, p.week)
	case p.quarter > 0:
		text = fmt.Sprintf("%04dQ%d", p.year, p.quarter)
	case p.day > 0:
		text = fmt.Sprintf("%04d-%02d-%02d", p.year, p.month, p.day)
	case p.month > 0:
		text = fmt.Sprintf("%04d-%02d", p.year, p.month)
	default:
		text = fmt.Sprintf("%04d", p.year)
	}
	_, ok = period.Parse(text)
	return text, ok
}
