package sheet

import "strconv"

// AppendClock appends a time of day, or a duration, of some seconds as hours, minutes and
// seconds: 13:45:00, 36:05:07, -01:30:00.
func AppendClock(dst []byte, seconds int) []byte {
	if seconds < 0 {
		dst, seconds = append(dst, '-'), -seconds
	}
	for i, part := range []int{seconds / 3600, seconds / 60 % 60, seconds % 60} {
		if i > 0 {
			dst = append(dst, ':')
		}
		if part < 10 {
			dst = append(dst, '0')
		}
		dst = strconv.AppendInt(dst, int64(part), 10)
	}
	return dst
}
