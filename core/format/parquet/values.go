package parquet

import (
	"bytes"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"time"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/deprecated"
	"github.com/parquet-go/parquet-go/format"
)

// leaf is a column of values.
type leaf struct {
	name string
	writing
}

// writing says how the values of a column are written as texts.
type writing struct {
	append func(dst []byte, v value) []byte
	form   record.Form // of values that are whole numbers; nil where texts are made in another way
	bare   bool        // no text needs quotes
	raw    bool        // texts are the bytes as they are
}

// value is a value that is not null: a whole number, a float by its bits or a truth value as 0 or 1 in the word, any
// other as bytes.
type value struct {
	word  int64
	bytes []byte
}

// valueOf takes a value over from the library.
func valueOf(v parquet.Value) value {
	switch v.Kind() {
	case parquet.Boolean:
		if v.Boolean() {
			return value{word: 1}
		}
		return value{}
	case parquet.Int32:
		return value{word: int64(v.Int32())}
	case parquet.Int64:
		return value{word: v.Int64()}
	case parquet.Float:
		return value{word: int64(math.Float32bits(v.Float()))}
	case parquet.Double:
		return value{word: int64(math.Float64bits(v.Double()))}
	case parquet.Int96:
		var bytes []byte
		for _, part := range v.Int96() { // the lowest first
			bytes = binary.LittleEndian.AppendUint32(bytes, part)
		}
		return value{bytes: bytes}
	}
	return value{bytes: v.ByteArray()}
}

// leaves are the columns below a node of the schema, in their order. A column within a
// column is called by both names. The groups between a list and its elements, or a map and
// its keys and values, which every program calls in its own way, have no name here
// (Parquet format, LogicalTypes, "Nested Types").
func leaves(node parquet.Node, name string, all []leaf) ([]leaf, error) {
	if node.Leaf() {
		write, err := writer(node.Type())
		if err != nil {
			return nil, fmt.Errorf("column %s: %w", name, err)
		}
		return append(all, leaf{name, write}), nil
	}
	fields := node.Fields()
	inner := func(field parquet.Field) string {
		if name == "" {
			return field.Name()
		}
		return name + "." + field.Name()
	}
	if len(fields) == 1 && fields[0].Repeated() {
		entries := fields[0]
		switch kindOf(node).(type) {
		case *format.ListType:
			switch {
			case entries.Leaf(), len(entries.Fields()) > 1, entries.Name() == "array",
				bytes.HasSuffix([]byte(entries.Name()), []byte("_tuple")):
				inner = func(parquet.Field) string { return name } // the element itself
			default:
				fields, inner = entries.Fields(), func(parquet.Field) string { return name }
			}
		case *format.MapType:
			fields = entries.Fields()
		}
	}
	var err error
	for _, field := range fields {
		if all, err = leaves(field, inner(field), all); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// kindOf is the logical type of a node, nil for none.
func kindOf(node parquet.Node) any {
	if t := node.Type(); t != nil && t.LogicalType() != nil {
		return t.LogicalType().Value
	}
	return nil
}

// writer says how the values of a type are written as texts.
func writer(t parquet.Type) (writing, error) {
	var logical any
	if l := t.LogicalType(); l != nil {
		logical = l.Value
	}
	bare := func(write func([]byte, value) []byte) (writing, error) {
		return writing{append: write, bare: true}, nil
	}
	switch l := logical.(type) {
	case *format.DecimalType:
		if l.Scale < 0 || l.Scale > l.Precision { // Parquet format, LogicalTypes, "DECIMAL"
			return writing{}, fmt.Errorf("its values are of %d digits, of which %d stand behind the decimal mark",
				l.Precision, l.Scale)
		}
		return decimals(int(l.Scale), t.Kind() == parquet.Int32 || t.Kind() == parquet.Int64), nil
	case *format.DateType:
		return coded(dayForm{}), nil
	case *format.TimestampType:
		return coded(timeForm{unitOf(l.Unit)}), nil
	case *format.TimeType:
		unit := unitOf(l.Unit)
		return bare(func(dst []byte, v value) []byte {
			return at(v.word, unit).AppendFormat(dst, "15:04:05.999999999")
		})
	case *format.UUIDType:
		return bare(func(dst []byte, v value) []byte { return appendUUID(dst, v.bytes) })
	case *format.IntType:
		if !l.IsSigned {
			return coded(unsignedForm{t.Kind() == parquet.Int32}), nil
		}
	case *format.NullType:
		return bare(func(dst []byte, _ value) []byte { return dst })
	}
	if c := t.ConvertedType(); c != nil && *c == deprecated.Interval {
		return writing{append: func(dst []byte, v value) []byte { return appendInterval(dst, v.bytes) }}, nil
	}
	switch t.Kind() {
	case parquet.Boolean:
		return bare(func(dst []byte, v value) []byte { return strconv.AppendBool(dst, v.word != 0) })
	case parquet.Int32, parquet.Int64:
		return coded(decimalForm{}), nil
	case parquet.Int96:
		return bare(func(dst []byte, v value) []byte { return appendTime(dst, julian(v.bytes)) })
	case parquet.Float:
		return bare(func(dst []byte, v value) []byte {
			return appendFloat(dst, float64(math.Float32frombits(uint32(v.word))), 32)
		})
	case parquet.Double:
		return coded(floatForm{}), nil
	case parquet.ByteArray, parquet.FixedLenByteArray:
		return writing{raw: true, append: func(dst []byte, v value) []byte { return append(dst, v.bytes...) }}, nil
	}
	return writing{}, fmt.Errorf("its values are of a kind that is not known here (%s)", t)
}

// coded writes values whose word is their code.
func coded(form record.Form) writing {
	return writing{form: form, bare: true, append: func(dst []byte, v value) []byte {
		return form.Append(dst, v.word)
	}}
}

// decimals writes decimals, which are whole numbers in the word or in bytes.
func decimals(scale int, inWords bool) writing {
	if inWords {
		return coded(decimalForm{scale})
	}
	return writing{form: decimalForm{scale}, bare: true, append: func(dst []byte, v value) []byte {
		if n, ok := whole(v.bytes); ok {
			return amount.New(n, scale).Append(dst)
		}
		return amount.FromBig(coefficient(v.bytes), scale).Append(dst)
	}}
}

// The forms of codes.
type (
	decimalForm  struct{ scale int }
	unsignedForm struct{ short bool } // of 32 bits
	dayForm      struct{}
	timeForm     struct{ perSecond int64 }
	floatForm    struct{} // of 64 bits, but for zero with a sign and what is no number
)

func (f decimalForm) Append(dst []byte, code int64) []byte {
	return amount.New(code, f.scale).Append(dst)
}

// Scale makes it record.Decimals.
func (f decimalForm) Scale() int { return f.scale }

func (f unsignedForm) Append(dst []byte, code int64) []byte {
	if f.short {
		return strconv.AppendUint(dst, uint64(uint32(code)), 10)
	}
	return strconv.AppendUint(dst, uint64(code), 10)
}

func (dayForm) Append(dst []byte, code int64) []byte { return date.Append(dst, int(code)) }

func (f timeForm) Append(dst []byte, code int64) []byte {
	return appendTime(dst, at(code, f.perSecond))
}

func (floatForm) Append(dst []byte, code int64) []byte {
	return appendFloat(dst, math.Float64frombits(uint64(code)), 64)
}

// appendFloat writes a float as the shortest decimal that reads back as it, without an
// exponent.
func appendFloat(dst []byte, v float64, bits int) []byte {
	return amount.AppendPlain(dst, strconv.AppendFloat(nil, v, 'g', -1, bits), 0)
}

// whole is the whole number of a decimal, bytes in two's complement with the highest one first, if 64 bits hold it.
func whole(data []byte) (n int64, ok bool) {
	const held = 8
	if len(data) == 2*held { // as writers that do not know their amounts beforehand make all
		high, low := binary.BigEndian.Uint64(data), binary.BigEndian.Uint64(data[held:])
		return int64(low), int64(high) == int64(low)>>63
	}
	if len(data) == 0 {
		return 0, false
	}
	sign := int8(data[0]) >> 7 // 0 or -1
	for ; len(data) > held; data = data[1:] {
		if int8(data[0]) != sign || int8(data[1])>>7 != sign {
			return 0, false
		}
	}
	n = int64(sign)
	for _, b := range data {
		n = n<<8 | int64(b)
	}
	return n, true
}

// coefficient is the whole number of any decimal.
func coefficient(data []byte) *big.Int {
	n := new(big.Int).SetBytes(data)
	if len(data) > 0 && data[0]&0x80 != 0 {
		n.Sub(n, new(big.Int).Lsh(big.NewInt(1), uint(8*len(data))))
	}
	return n
}

// unitOf is how many of a unit of time are in a second.
func unitOf(unit format.TimeUnit) int64 {
	switch unit.Value.(type) {
	case *format.MilliSeconds:
		return 1e3
	case *format.MicroSeconds:
		return 1e6
	}
	return 1e9
}

// at is n parts of a second after 1970 began, of which there are so many in a second.
func at(n, perSecond int64) time.Time {
	seconds, rest := n/perSecond, n%perSecond
	return time.Unix(seconds, rest*(1e9/perSecond)).UTC()
}

// julian is a time as a nanosecond of a day, and the Julian number of the day: the way of
// older programs.
func julian(v []byte) time.Time {
	const epoch, day = 2440588, 86400 // the Julian number of 1970-01-01
	nanoseconds, number := int64(binary.LittleEndian.Uint64(v)), int64(binary.LittleEndian.Uint32(v[8:]))
	return time.Unix((number-epoch)*day, nanoseconds).UTC()
}

// appendTime writes a time by ISO 8601, and at midnight the day alone.
func appendTime(dst []byte, at time.Time) []byte {
	start := len(dst)
	dst = at.AppendFormat(dst, "2006-01-02 15:04:05.999999999")
	if bytes.HasSuffix(dst[start:], []byte(" 00:00:00")) {
		dst = dst[:len(dst)-len(" 00:00:00")]
	}
	return dst
}

// appendUUID writes 16 bytes as RFC 9562 does.
func appendUUID(dst, id []byte) []byte {
	for i, b := range id {
		if i == 4 || i == 6 || i == 8 || i == 10 {
			dst = append(dst, '-')
		}
		dst = hex.AppendEncode(dst, []byte{b})
	}
	return dst
}

// appendInterval writes months, days and milliseconds as a duration of ISO 8601.
func appendInterval(dst, v []byte) []byte {
	const length = 12
	if len(v) != length {
		return append(dst, v...)
	}
	months, days, ms := binary.LittleEndian.Uint32(v), binary.LittleEndian.Uint32(v[4:]),
		binary.LittleEndian.Uint32(v[8:])
	dst = fmt.Appendf(dst, "P%dM%dD", months, days)
	if ms == 0 {
		return dst
	}
	const thousandths = 3
	dst = amount.FromBig(new(big.Int).SetUint64(uint64(ms)), thousandths).Append(append(dst, 'T'))
	return append(dst, 'S')
}

func appendHalf(dst []byte, v value) []byte { return appendFloat(dst, half(v.bytes), 32) }

// half is a float of 16 bits (IEEE 754 binary16), the lowest byte first.
func half(v []byte) float64 {
	if len(v) != 2 {
		return math.NaN()
	}
	bits := binary.LittleEndian.Uint16(v)
	sign, exponent, fraction := 1.0, int(bits>>10&0x1f), float64(bits&0x3ff)
	if bits&0x8000 != 0 {
		sign = -1
	}
	switch exponent {
	case 0:
		return sign * math.Ldexp(fraction, -24)
	case 0x1f:
		if fraction != 0 {
			return math.NaN()
		}
		return sign * math.Inf(1)
	}
	return sign * math.Ldexp(1+fraction/1024, exponent-15)
}
