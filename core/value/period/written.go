package period

import (
	"fmt"
	"regexp"
	"time"

	"lastblock/core/value/date"
)

var (
	monthInFigures = regexp.MustCompile(`^\s*(\d{1,2})[./ -](\d{4})\s*$`)
	monthByName    = regexp.MustCompile(`^\s*([A-Za-z]{3,9})[. '/-]*(?:20)?(\d\d)\s*$`)
)

// ParseWritten reads a period as lists and references have it: as Parse does, and months as 03.2031, 3/2031, Mar-31 or
// March 2031, with English names and, where the year has two digits, in the 21st century.
func ParseWritten(text string) (Period, bool) {
	year, month := "", ""
	if m := monthInFigures.FindStringSubmatch(text); m != nil {
		year, month = m[2], fmt.Sprintf("%02s", m[1])
	} else if m := monthByName.FindStringSubmatch(text); m != nil {
		d, ok := date.Parse([]byte("1 " + m[1] + " 20" + m[2]))
		if !ok {
			return Period{}, false
		}
		day := time.Unix(int64(d.Days)*24*60*60, 0).UTC()
		year, month = fmt.Sprintf("%04d", day.Year()), fmt.Sprintf("%02d", day.Month())
	} else {
		return Parse(text)
	}
	return Parse(year + "-" + month)
}
