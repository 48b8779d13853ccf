package xlsx

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"time"

	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
)

// format is what a number format makes of a number, as far as that changes
// what the number is: a date, or a code with leading zeros. Marks of
// thousands and rounding only change how it looks.
type format struct {
	date, time bool
	ratio      bool   // a percentage or a fraction
	digits     string // a code: '0' for each digit, other characters as they stand
}

// builtIn are the number formats that a workbook does not spell out (ISO/IEC
// 29500-1, 18.8.30), as far as they are dates; 27 to 36 and 50 to 58 are dates
// in the eastern languages.
func builtIn(id int) string {
	switch {
	case id == 14, 27 <= id && id <= 31, id == 36, 50 <= id && id <= 54, id == 57, id == 58:
		return "yyyy-mm-dd"
	case id == 9, id == 10:
		return "0%"
	case id == 12, id == 13:
		return "# ?/?"
	case id == 15:
		return "d-mmm-yy"
	case id == 16:
		return "d-mmm"
	case id == 17:
		return "mmm-yy"
	case 18 <= id && id <= 21, 32 <= id && id <= 35, 45 <= id && id <= 47, id == 55, id == 56:
		return "h:mm:ss"
	case id == 22:
		return "yyyy-mm-dd h:mm"
	}
	return ""
}

// parseFormat reads the first section of a format code, which is that of
// positive numbers.
func parseFormat(code string) format {
	var f format
	var digits []byte
	zeros, isCode, months := 0, true, false
	parts, divided := false, false // places of digits that may be blank, and what parts them
	for i := 0; i < len(code); i++ {
		switch c := code[i]; c {
		case ';':
			i = len(code)
		case '"':
			end := strings.IndexByte(code[i+1:], '"')
			if end < 0 {
				end = len(code) - i - 1
			}
			digits = append(digits, code[i+1:i+1+end]...)
			i += end + 1
		case '\\':
			if i++; i < len(code) {
				digits = append(digits, code[i])
			}
		case '_', '*':
			i++ // a blank as wide as the next character, or a filling
		case '[':
			end := strings.IndexByte(code[i:], ']')
			if end < 0 {
				return format{}
			}
			switch strings.ToLower(strings.Trim(code[i+1:i+end], "hmsHMS")) {
			case "":
				f.time = end > 1
			}
			i += end
		case '0':
			zeros++
			digits = append(digits, '0')
		case '-', ' ', '(', ')':
			digits = append(digits, c)
		case 'y', 'Y', 'd', 'D':
			f.date = true
		case 'm', 'M':
			months = true
		case 'h', 'H', 's', 'S':
			f.time = true
		default:
			if rest := strings.ToLower(code[i:]); strings.HasPrefix(rest, "general") {
				return format{}
			}
			isCode = false
			f.ratio = f.ratio || c == '%'
			parts, divided = parts || c == '?', divided || c == '/'
		}
	}
	f.ratio = f.ratio || parts && divided
	f.date = f.date || months && !f.time
	if isCode && zeros >= 2 && !f.date && !f.time {
		f.digits = string(digits)
	}
	return f
}

// epoch is the day that a workbook counts from.
type epoch int

const (
	epoch1900 epoch = iota // 1 is 1900-01-01, and 60 a 29 February that never was
	epoch1904              // 0 is 1904-01-01
)

// append appends a number as its sender sees it, and tells what that is.
func (f format) append(dst, raw []byte, from epoch) ([]byte, sheet.CellKind) {
	raw = bytes.TrimSpace(raw)
	if f.date || f.time {
		if out, ok := f.appendTime(dst, raw, from); ok {
			return out, sheet.DateCell
		}
	}
	start := len(dst)
	dst = amount.AppendPlain(dst, raw, sheet.ShownDigits)
	if f.digits != "" {
		if code, ok := sheet.FormatCode(dst[start:], f.digits); ok {
			return append(dst[:start], code...), sheet.TextCell
		}
	}
	return dst, sheet.NumberCell
}

// appendTime appends a serial number as a date, a time of day or both.
func (f format) appendTime(dst, raw []byte, from epoch) ([]byte, bool) {
	const lastDay = 2958465 // 9999-12-31
	serial, err := strconv.ParseFloat(string(raw), 64)
	if err != nil || serial < 0 && f.date || math.Abs(serial) > lastDay+1 {
		return dst, false // a day before the first one has no date
	}
	const daySeconds = 24 * 60 * 60
	days := math.Floor(serial)
	seconds := int(math.Round((serial - days) * daySeconds))
	if seconds == daySeconds {
		days, seconds = days+1, 0
	}
	if !f.date {
		seconds += int(days) * daySeconds
		return sheet.AppendClock(dst, seconds), true
	}
	first := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case from == epoch1904:
		first = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case days < 60:
		first = first.AddDate(0, 0, 1)
	}
	dst = first.AddDate(0, 0, int(days)).AppendFormat(dst, time.DateOnly)
	if f.time && seconds > 0 {
		dst = sheet.AppendClock(append(dst, ' '), seconds)
	}
	return dst, true
}
