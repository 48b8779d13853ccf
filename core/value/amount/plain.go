package amount

import "bytes"

// AppendPlain appends a number that a file stores as 1.25E+3 as a plain decimal,
// 1250. With most above 0, a number with decimals is rounded half up to so many
// digits, and zeros at its end are left out; whole numbers, and all numbers with
// 0, keep every digit. What is no
// number is appended as it stands.
func AppendPlain(dst, raw []byte, most int) []byte {
	if isPlain(raw) && (most == 0 || len(raw) <= most && (raw[len(raw)-1] != '0' || bytes.IndexByte(raw, '.') < 0)) {
		return append(dst, raw...)
	}
	digits, point, negative, ok := takeApart(raw)
	if !ok {
		return append(dst, raw...)
	}
	if most > 0 && len(digits) > most && bytes.ContainsAny(raw, ".eE") {
		digits, point = roundDigits(digits, point, most)
	}
	for len(digits) > point && len(digits) > 0 && digits[len(digits)-1] == '0' {
		digits = digits[:len(digits)-1]
	}
	if len(digits) == 0 {
		return append(dst, '0')
	}
	if negative {
		dst = append(dst, '-')
	}
	if point <= 0 {
		dst = append(dst, "0."...)
		for ; point < 0; point++ {
			dst = append(dst, '0')
		}
		return append(dst, digits...)
	}
	for i := range max(point, len(digits)) {
		if i == point {
			dst = append(dst, '.')
		}
		if i < len(digits) {
			dst = append(dst, digits[i])
		} else {
			dst = append(dst, '0')
		}
	}
	return dst
}

// isPlain tells quickly of most numbers that they need no change.
func isPlain(raw []byte) bool {
	for i, c := range raw {
		if (c < '0' || c > '9') && c != '.' && (c != '-' || i > 0) {
			return false
		}
	}
	return len(raw) > 0 && '0' <= raw[len(raw)-1] && raw[len(raw)-1] <= '9' && raw[0] != '.' && raw[0] != '-' ||
		len(raw) > 1 && raw[0] == '-' && raw[1] != '.' && raw[len(raw)-1] != '.'
}

// takeApart reads a number: its digits without leading zeros, and before
// which of them the point stands.
func takeApart(raw []byte) (digits []byte, point int, negative, ok bool) {
	const mostExponent = 400
	text := raw
	if len(text) > 0 && (text[0] == '-' || text[0] == '+') {
		negative = text[0] == '-'
		text = text[1:]
	}
	exponent := 0
	if i := bytes.IndexAny(text, "eE"); i >= 0 {
		sign, power := 1, text[i+1:]
		if len(power) > 0 && (power[0] == '-' || power[0] == '+') {
			if power[0] == '-' {
				sign = -1
			}
			power = power[1:]
		}
		if len(power) == 0 {
			return nil, 0, false, false
		}
		for _, c := range power {
			if c < '0' || c > '9' || exponent > mostExponent {
				return nil, 0, false, false
			}
			exponent = 10*exponent + int(c-'0')
		}
		exponent *= sign
		text = text[:i]
	}
	whole, fraction, _ := bytes.Cut(text, []byte{'.'})
	if len(whole)+len(fraction) == 0 {
		return nil, 0, false, false
	}
	digits = append(append(make([]byte, 0, len(text)), whole...), fraction...)
	for _, c := range digits {
		if c < '0' || c > '9' {
			return nil, 0, false, false
		}
	}
	point = len(whole) + exponent
	for len(digits) > 0 && digits[0] == '0' {
		digits, point = digits[1:], point-1
	}
	return digits, point, negative, true
}

// roundDigits keeps the first digits.
func roundDigits(digits []byte, point, most int) ([]byte, int) {
	up := digits[most] >= '5'
	digits = digits[:most]
	for i := len(digits) - 1; up && i >= 0; i-- {
		if digits[i] < '9' {
			digits[i]++
			up = false
		} else {
			digits[i] = '0'
		}
	}
	if up {
		digits, point = append([]byte{'1'}, digits...), point+1
	}
	return digits, point
}
