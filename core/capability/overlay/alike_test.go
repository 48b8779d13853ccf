package overlay

import (
	"strconv"
	"strings"
	"testing"
)

// What eight digits at a time come to is what the standard library reads.
func FuzzDigits(f *testing.F) {
	for _, text := range []string{"", "0", "7,", "12345678", "123456789,5", "1234567.89,4", "99999999,", "00000000",
		"0000001\x00",
		"12345678901234x", "/1234567", ":1234567", "1234567:", "\xb0\xb1234567", "123 4567"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		want := text[:len(text)-len(strings.TrimLeft(text, "0123456789"))]
		value, n := digits([]byte(text))
		if n != len(want) {
			t.Fatalf("%q begins with %d digits, and %d were read", text, len(want), n)
		}
		const most = 15
		if number, err := strconv.ParseInt(want, 10, 64); err == nil && n <= most && value != number {
			t.Errorf("%q begins with %d, and %d was read", text, number, value)
		}
	})
}
