package sheet

import "strings"

// FormatCode writes a whole number as a number format with leading zeros and texts between
// its digits shows it: 417 in the pattern K-00000 is K-00417. In the pattern '0' stands for
// a digit, and all else for itself; digits that are too many stand before the first one. ok
// is false where the number is no whole one.
func FormatCode(number []byte, pattern string) (code string, ok bool) {
	sign := ""
	if len(number) > 0 && number[0] == '-' {
		sign, number = "-", number[1:]
	}
	for _, c := range number {
		if c < '0' || c > '9' {
			return "", false
		}
	}
	out := []byte(pattern)
	for i := len(out) - 1; i >= 0; i-- {
		if out[i] != '0' {
			continue
		}
		if n := len(number); n > 0 {
			out[i], number = number[n-1], number[:n-1]
		}
	}
	if first := strings.IndexByte(pattern, '0'); len(number) > 0 {
		return sign + string(out[:first]) + string(number) + string(out[first:]), true
	}
	return sign + string(out), true
}
