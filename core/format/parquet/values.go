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

	"lastblock/core/value/amount"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/deprecated"
	"github.com/parquet-go/parquet-go/format"
)

// leaf is a column of values.
type leaf struct {
	name   string
	append func(dst []byte, v parquet.Value) []byte // v as a text
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

// writer says how the values of a type are written as a text.
func writer(t parquet.Type) (func([]byte, parquet.Value) []byte, error) {
	var logical any
	if l := t.LogicalType(); l != nil {
		logical = l.Value
	}
	switch l := logical.(type) {
	case *format.DecimalType:
		scale := int(l.Scale)
		return func(dst []byte, v parquet.Value) []byte {
			switch v.Kind() {
			case parquet.Int32:
				return amount.New(int64(v.Int32()), scale).Append(dst)
			case parquet.Int64:
				return amount.New(v.Int64(), scale).Append(dst)
			}
			if data := v.ByteArray(); 0 < len(data) && len(data) <= 8 {
				return amount.New(whole(data), scale).Append(dst)
			}
			return amount.FromBig(coefficient(v), scale).Append(dst)
		}, nil
	case *format.DateType:
		days := make(map[int32][]byte) // of which a month has few
		return func(dst []byte, v parquet.Value) []byte {
			const most, day = 1 << 12, 86400
			text, ok := days[v.Int32()]
			if !ok {
				text = time.Unix(int64(v.Int32())*day, 0).UTC().AppendFormat(nil, time.DateOnly)
				if len(days) < most {
					days[v.Int32()] = text
				}
			}
			return append(dst, text...)
		}, nil
	case *format.TimestampType:
		unit := unitOf(l.Unit)
		return func(dst []byte, v parquet.Value) []byte { return appendTime(dst, at(v.Int64(), unit)) }, nil
	case *format.TimeType:
		unit := unitOf(l.Unit)
		return func(dst []byte, v parquet.Value) []byte {
			n := v.Int64()
			if v.Kind() == parquet.Int32 {
				n = int64(v.Int32())
			}
			return at(n, unit).AppendFormat(dst, "15:04:05.999999999")
		}, nil
	case *format.UUIDType:
		return func(dst []byte, v parquet.Value) []byte { return appendUUID(dst, v.ByteArray()) }, nil
	case *format.IntType:
		if !l.IsSigned {
			return appendUnsigned, nil
		}
	case *format.NullType:
		return func(dst []byte, v parquet.Value) []byte { return dst }, nil
	}
	if c := t.ConvertedType(); c != nil && *c == deprecated.Interval {
		return func(dst []byte, v parquet.Value) []byte { return appendInterval(dst, v.ByteArray()) }, nil
	}
	switch t.Kind() {
	case parquet.Boolean:
		return func(dst []byte, v parquet.Value) []byte { return strconv.AppendBool(dst, v.Boolean()) }, nil
	case parquet.Int32:
		return func(dst []byte, v parquet.Value) []byte { return strconv.AppendInt(dst, int64(v.Int32()), 10) }, nil
	case parquet.Int64:
		return func(dst []byte, v parquet.Value) []byte { return strconv.AppendInt(dst, v.Int64(), 10) }, nil
	case parquet.Int96:
		return func(dst []byte, v parquet.Value) []byte { return appendTime(dst, julian(v.Int96())) }, nil
	case parquet.Float:
		return func(dst []byte, v parquet.Value) []byte { return appendFloat(dst, float64(v.Float()), 32) }, nil
	case parquet.Double:
		return func(dst []byte, v parquet.Value) []byte { return appendFloat(dst, v.Double(), 64) }, nil
	case parquet.ByteArray, parquet.FixedLenByteArray:
		return func(dst []byte, v parquet.Value) []byte { return append(dst, v.ByteArray()...) }, nil
	}
	return nil, fmt.Errorf("its values are of a kind that is not known here (%s)", t)
}

func appendUnsigned(dst []byte, v parquet.Value) []byte {
	if v.Kind() == parquet.Int32 {
		return strconv.AppendUint(dst, uint64(uint32(v.Int32())), 10)
	}
	return strconv.AppendUint(dst, uint64(v.Int64()), 10)
}

// appendFloat writes a float as the shortest decimal that reads back as it, without an
// exponent.
func appendFloat(dst []byte, v float64, bits int) []byte {
	return amount.AppendPlain(dst, strconv.AppendFloat(nil, v, 'g', -1, bits), 0)
}

// whole is a number of up to eight bytes in two's complement with the highest one first.
func whole(data []byte) int64 {
	n := int64(int8(data[0]))
	for _, b := range data[1:] {
		n = n<<8 | int64(b)
	}
	return n
}

// coefficient is the whole number of a decimal: bytes in two's complement with the highest one first.
func coefficient(v parquet.Value) *big.Int {
	data := v.ByteArray()
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
func julian(v deprecated.Int96) time.Time {
	const epoch, day = 2440588, 86400 // the Julian number of 1970-01-01
	nanoseconds := int64(v[1])<<32 | int64(v[0])
	return time.Unix((int64(v[2])-epoch)*day, nanoseconds).UTC()
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

func appendHalf(dst []byte, v parquet.Value) []byte { return appendFloat(dst, half(v.ByteArray()), 32) }

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
