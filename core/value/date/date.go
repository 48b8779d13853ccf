// Package date reads calendar dates as branches write them into days since
// 1970-01-01, and prints them as ISO 8601.
package date

import (
	"bytes"
	"strconv"
	"strings"
	"time"
)

// Order is the order in which a date's parts stand.
type Order uint8

// The orders that are read. Unclear is a date such as 03/04/2031, which could
// be both; its column has to tell.
const (
	YearMonthDay Order = iota
	DayMonthYear
	MonthDayYear
	Unclear
)

// Date is one calendar date: its reading in days since 1970-01-01, and for an
// Unclear one the other reading, month first, as well.
type Date struct {
	Days       int
	MonthFirst int
	Order      Order
	// ByHabit says that DayMonthYear is not proven by the date itself: hardly anybody
	// who sets points puts the month first.
	ByHabit bool
	// Either says that it is the same day in both orders, as 03/03/2031, which proves none of them.
	Either bool
}

// Parse reads 2031-01-31, 2031/1/31, 31.01.2031, 31/01/2031, 1/31/2031 and
// 31-01-2031; the year has four digits, and a time of day may stand behind a
// 'T' or a blank. The month may be an English name or its first three letters:
// 31 Jan 2031, 31-Jan-2031, January 31, 2031. Digits without marks are no date.
func Parse(text []byte) (Date, bool) {
	if len(text) < 8 {
		return Date{}, false
	}
	parts, mark, yearFirst, ok := split(text)
	if !ok {
		if n, ok := parseNamed(text); ok {
			return Date{Days: n, Order: YearMonthDay}, true
		}
		return Date{}, false
	}
	if yearFirst {
		days, ok := days(parts[0], parts[1], parts[2])
		return Date{Days: days, Order: YearMonthDay}, ok
	}
	dayFirst, dayOK := days(parts[2], parts[1], parts[0])
	monthFirst, monthOK := days(parts[2], parts[0], parts[1])
	switch {
	case dayOK && monthOK && dayFirst != monthFirst && mark == '.':
		return Date{Days: dayFirst, MonthFirst: monthFirst, Order: DayMonthYear, ByHabit: true}, true
	case dayOK && monthOK && dayFirst == monthFirst:
		return Date{Days: dayFirst, MonthFirst: monthFirst, Order: DayMonthYear, Either: true}, true
	case dayOK && !monthOK:
		return Date{Days: dayFirst, Order: DayMonthYear}, true
	case monthOK && !dayOK:
		return Date{Days: monthFirst, Order: MonthDayYear}, true
	}
	return Date{Days: dayFirst, MonthFirst: monthFirst, Order: Unclear}, dayOK
}

// split reads three numbers with the same mark between them, the year with four
// digits at the front or at the back, and nothing or a time of day behind them.
func split(text []byte) (parts [3]int, mark byte, yearFirst, ok bool) {
	var lengths [3]int
	part := 0
	i := 0
	for ; i < len(text); i++ {
		c := text[i]
		if '0' <= c && c <= '9' {
			if lengths[part]++; lengths[part] > 4 {
				return parts, 0, false, false
			}
			parts[part] = parts[part]*10 + int(c-'0')
			continue
		}
		if part == 2 {
			break
		}
		if c != '-' && c != '/' && c != '.' || part == 1 && c != mark {
			return parts, 0, false, false
		}
		mark = c
		part++
	}
	yearFirst = lengths[0] == 4 && lengths[2] >= 1 && lengths[2] <= 2
	yearLast := lengths[2] == 4 && lengths[0] >= 1 && lengths[0] <= 2
	if part != 2 || lengths[1] < 1 || lengths[1] > 2 || !yearFirst && !yearLast {
		return parts, 0, false, false
	}
	return parts, mark, yearFirst, i == len(text) || isClock(text[i:])
}

// parseNamed reads a date whose month is a name, so that its order cannot be
// unclear.
func parseNamed(text []byte) (int, bool) {
	text = withoutTime(text)
	const longest = len("30. September 2031")
	if len(text) > longest+2 {
		return 0, false
	}
	var words [3]string
	n := 0
	for i := 0; i < len(text); {
		if strings.IndexByte(" -./,", text[i]) >= 0 {
			i++
			continue
		}
		start, digits := i, isDigit(text[i])
		for i < len(text) && isDigit(text[i]) == digits && strings.IndexByte(" -./,", text[i]) < 0 {
			i++
		}
		if n == len(words) {
			return 0, false
		}
		words[n] = string(text[start:i])
		n++
	}
	if n != len(words) {
		return 0, false
	}
	for i, month := range words {
		m := Month(month)
		if m == 0 || i == 2 {
			continue
		}
		day, year := words[1-i], words[2]
		if i == 1 && len(words[0]) == 4 {
			day, year = words[2], words[0]
		}
		d, errDay := strconv.Atoi(day)
		y, errYear := strconv.Atoi(year)
		if errDay != nil || errYear != nil || len(day) > 2 || len(year) != 4 && len(year) != 2 {
			return 0, false
		}
		return days(century(y, len(year)), m, d)
	}
	return 0, false
}

// withoutTime takes a time of day, as 14:05 or T14:05:00, off the end of a date.
func withoutTime(text []byte) []byte {
	colon := bytes.IndexByte(text, ':')
	at := colon
	for at > 0 && isDigit(text[at-1]) {
		at--
	}
	if at <= 0 || !isClock(text[at-1:]) {
		return text
	}
	return bytes.TrimRight(text[:at-1], " ,")
}

// isClock tells whether what stands behind a date is a time of day: a blank or a T, hours and
// minutes, or more, and perhaps AM or PM and a time zone. Nothing but blanks is none, and as
// good.
func isClock(text []byte) bool {
	if len(text) == 0 || text[0] != ' ' && text[0] != 'T' {
		return false
	}
	rest := bytes.TrimLeft(text[1:], " ")
	if len(rest) == 0 {
		return text[0] == ' '
	}
	digits := 0
	for digits < len(rest) && isDigit(rest[digits]) {
		digits++
	}
	if digits == 4 || digits == 6 { // of the basic format of ISO 8601
		return text[0] == 'T' && isZone(rest[digits:])
	}
	if digits < 1 || digits > 2 {
		return false
	}
	rest = rest[digits:]
	parts := 0
	for ; parts < 3 && len(rest) > 2 && (rest[0] == ':' || parts == 2 && (rest[0] == '.' || rest[0] == ',')); parts++ {
		digits = 0
		for digits < len(rest)-1 && isDigit(rest[1+digits]) {
			digits++
		}
		if digits < 1 || parts < 2 && digits != 2 {
			return false
		}
		rest = rest[1+digits:]
	}
	return parts > 0 && isZone(rest)
}

// isZone tells whether what stands behind a time is AM or PM, a time zone, or nothing.
func isZone(text []byte) bool {
	text = bytes.TrimSpace(text)
	for _, half := range []string{"AM", "PM", "am", "pm"} {
		text = bytes.TrimLeft(bytes.TrimPrefix(text, []byte(half)), " ")
	}
	switch string(text) {
	case "", "Z", "UTC", "GMT":
		return true
	}
	if text[0] != '+' && text[0] != '-' {
		return false
	}
	offset := bytes.Replace(text[1:], []byte{':'}, nil, 1)
	return (len(offset) == 2 || len(offset) == 4) &&
		!bytes.ContainsFunc(offset, func(c rune) bool { return c < '0' || c > '9' })
}

func isDigit(c byte) bool { return '0' <= c && c <= '9' }

// century puts a year of two digits into the 21st century.
func century(year, digits int) int {
	if digits == 2 {
		return 2000 + year
	}
	return year
}

// ParseOrder reads a date of which it is known in which order its parts stand.
// Beside what Parse reads, the year may have two digits, which are of the 21st
// century, and 20310131 needs no marks. A year in front always comes before the
// month.
func ParseOrder(text []byte, order Order) (int, bool) {
	if len(text) == 8 || len(text) == 6 {
		if n, ok := parseDigits(text, order); ok {
			return n, true
		}
	}
	parts, lengths, rest, ok := numbers(text)
	if !ok {
		return parseNamed(text)
	}
	if len(rest) > 0 && !isClock(rest) {
		return 0, false
	}
	if lengths[0] == 4 || order == YearMonthDay {
		return days(century(parts[0], lengths[0]), parts[1], parts[2])
	}
	year := century(parts[2], lengths[2])
	if order == MonthDayYear {
		return days(year, parts[0], parts[1])
	}
	return days(year, parts[1], parts[0])
}

// ParseFull is ParseOrder for an order that nobody has said, but that was found out: a year in
// numbers then has four digits, and marks stand between the parts.
func ParseFull(text []byte, order Order) (int, bool) {
	parts, lengths, rest, ok := numbers(text)
	switch {
	case !ok:
		return parseNamed(text)
	case lengths[0] != 4 && lengths[2] != 4 || len(rest) > 0 && !isClock(rest):
		return 0, false
	case lengths[0] == 4:
		return days(parts[0], parts[1], parts[2])
	case order == MonthDayYear:
		return days(parts[2], parts[0], parts[1])
	}
	return days(parts[2], parts[1], parts[0])
}

// parseDigits reads digits without marks.
func parseDigits(text []byte, order Order) (int, bool) {
	n, err := strconv.Atoi(string(text))
	if err != nil || n < 0 || !isDigit(text[0]) {
		return 0, false
	}
	yearSize := len(text) - 4
	scale := 10000
	if yearSize == 2 {
		scale = 100
	}
	switch order {
	case YearMonthDay:
		return days(century(n/10000, yearSize), n/100%100, n%100)
	case MonthDayYear:
		return days(century(n%scale, yearSize), n/scale/100, n/scale%100)
	}
	return days(century(n%scale, yearSize), n/scale%100, n/scale/100)
}

// numbers reads three numbers with the same mark between them, and returns
// what stands behind them.
func numbers(text []byte) (parts, lengths [3]int, rest []byte, ok bool) {
	var mark byte
	part := 0
	for i, c := range text {
		if isDigit(c) {
			if lengths[part]++; lengths[part] > 4 {
				return parts, lengths, nil, false
			}
			parts[part] = parts[part]*10 + int(c-'0')
			continue
		}
		if part == 2 {
			return parts, lengths, text[i:], isWhole(lengths)
		}
		if c != '-' && c != '/' && c != '.' || part == 1 && c != mark {
			return parts, lengths, nil, false
		}
		mark = c
		part++
	}
	return parts, lengths, nil, part == 2 && isWhole(lengths)
}

// isWhole tells whether the parts of a date have as many digits as they can.
func isWhole(lengths [3]int) bool {
	years := 0
	for i, n := range lengths {
		if n == 4 && i != 1 {
			years++
		} else if n < 1 || n > 2 {
			return false
		}
	}
	return years <= 1
}

// days counts from 1970-01-01 in the proleptic Gregorian calendar of ISO 8601.
func days(year, month, day int) (int, bool) {
	if month < 1 || month > 12 || day < 1 || day > 31 || year < 1 {
		return 0, false
	}
	t := time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC)
	if t.Day() != day {
		return 0, false
	}
	return int(t.Unix() / 86400), true
}

// Append appends days since 1970-01-01 as ISO 8601.
func Append(dst []byte, days int) []byte {
	t := time.Unix(int64(days)*86400, 0).UTC()
	year, month, day := t.Date()
	if year < 0 || year > 9999 {
		return t.AppendFormat(dst, time.DateOnly)
	}
	digit := func(n int) byte { return byte('0' + n%10) }
	return append(dst, digit(year/1000), digit(year/100), digit(year/10), digit(year), '-', digit(int(month)/10),
		digit(int(month)), '-', digit(day/10), digit(day))
}

// String prints days since 1970-01-01 as ISO 8601, "2031-01-31".
func String(days int) string {
	return time.Unix(int64(days)*86400, 0).UTC().Format(time.DateOnly)
}

// Month returns 1 to 12 for an English month name or its first three letters,
// whatever the case, and 0 for anything else.
func Month(name string) int {
	for m := time.January; m <= time.December; m++ {
		if full := m.String(); equalFold(name, full) || equalFold(name, full[:3]) {
			return int(m)
		}
	}
	return 0
}

func equalFold(a, b string) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range len(a) {
		if a[i]|0x20 != b[i]|0x20 {
			return false
		}
	}
	return true
}

// IsPeriod tells whether text is a period as a file's name or a column's
// header bears it: a year, a month 2031-01, a quarter 2031Q1, an ISO week
// 2031-W05 or a day 2031-01-31.
func IsPeriod(text string) bool {
	if len(text) < 4 {
		return false
	}
	year, err := strconv.Atoi(text[:4])
	if err != nil || year < 1000 {
		return false
	}
	rest := text[4:]
	if rest == "" {
		return true
	}
	if rest[0] == '-' {
		rest = rest[1:]
	}
	switch {
	case len(rest) == 2 && rest[0] == 'Q':
		return '1' <= rest[1] && rest[1] <= '4'
	case len(rest) == 3 && rest[0] == 'W':
		return between(rest[1:], 1, 53)
	case len(rest) == 2:
		return between(rest, 1, 12)
	case len(rest) == 5 && rest[2] == '-':
		return between(rest[:2], 1, 12) && between(rest[3:], 1, 31)
	case len(rest) == 4:
		return between(rest[:2], 1, 12) && between(rest[2:], 1, 31)
	}
	return false
}

func between(digits string, low, high int) bool {
	n, err := strconv.Atoi(digits)
	return err == nil && digits[0] != '-' && digits[0] != '+' && low <= n && n <= high
}
