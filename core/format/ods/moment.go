package ods

import (
	"strconv"
	"strings"
	"time"

	"lastblock/core/format/sheet"
)

// appendDate appends 2031-01-05T00:00:00 as 2031-01-05, and another time of day behind it,
// rounded to seconds; what is no date stays as it is.
func appendDate(dst []byte, value string) []byte {
	day, clock, _ := strings.Cut(value, "T")
	if clock == "" {
		return append(dst, day...)
	}
	at, err := time.Parse("2006-01-02T15:04:05.999999999", strings.TrimSuffix(value, "Z"))
	if err != nil {
		return append(append(append(dst, day...), ' '), clock...)
	}
	at = at.Round(time.Second)
	dst = at.AppendFormat(dst, time.DateOnly)
	if at.Hour()+at.Minute()+at.Second() > 0 {
		dst = at.AppendFormat(append(dst, ' '), time.TimeOnly)
	}
	return dst
}

// appendDuration appends the duration PT36H05M07S (XML Schema part 2, 3.2.6, with days and
// less) as 36:05:07, rounded to seconds; what is none stays as it is.
func appendDuration(dst []byte, value string) []byte {
	rest, negative := strings.CutPrefix(value, "-")
	days, clock, timed := strings.Cut(strings.TrimPrefix(rest, "P"), "T")
	seconds, known := 0.0, strings.HasPrefix(rest, "P") && (days != "" || clock != "")
	take := func(text *string, unit string, length float64) {
		number, after, found := strings.Cut(*text, unit)
		if !found {
			return
		}
		n, err := strconv.ParseFloat(number, 64)
		known = known && err == nil && n >= 0
		seconds, *text = seconds+n*length, after
	}
	take(&days, "D", 24*60*60)
	if timed {
		take(&clock, "H", 60*60)
		take(&clock, "M", 60)
		take(&clock, "S", 1)
	}
	const most = 1 << 40
	if !known || days != "" || clock != "" || seconds > most {
		return append(dst, value...)
	}
	whole := int(seconds + 0.5)
	if negative {
		whole = -whole
	}
	return sheet.AppendClock(dst, whole)
}
