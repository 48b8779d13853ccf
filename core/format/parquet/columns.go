package parquet

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math/bits"

	"github.com/parquet-go/parquet-go/encoding/rle"
	"github.com/parquet-go/parquet-go/format"
)

// column is a column of values as the schema of a file describes it.
type column struct {
	name       string // in full
	kind       format.Type
	width      int // of a value, in bytes; 0 where it has none that is the same for all
	repetition int // the most levels of both kinds (Parquet format, "Nested Encoding")
	definition int
	half       bool // its values are floats of 16 bits
	stream     stream
}

var errSchema = errors.New("its schema does not hold together")

// columnsOf finds the columns of values in a schema, whose elements stand one before what
// is in it.
func columnsOf(schema []format.SchemaElement) ([]column, error) {
	if len(schema) == 0 {
		return nil, errSchema
	}
	var columns []column
	rest := schema[1:]
	var add func(children int, above column) error
	add = func(children int, above column) error {
		for range children {
			if len(rest) == 0 {
				return errSchema
			}
			e := &rest[0]
			rest = rest[1:]
			c := above
			if c.name += e.Name; e.RepetitionType.Valid {
				switch e.RepetitionType.V {
				case format.Repeated:
					c.repetition++
					c.definition++
				case format.Optional:
					c.definition++
				}
			}
			if e.NumChildren.Valid && e.NumChildren.V > 0 {
				c.name += "."
				if err := add(int(e.NumChildren.V), c); err != nil {
					return err
				}
				continue
			}
			if err := c.describe(e); err != nil {
				return fmt.Errorf("column %s: %w", c.name, err)
			}
			columns = append(columns, c)
		}
		return nil
	}
	if err := add(int(schema[0].NumChildren.V), column{}); err != nil {
		return nil, err
	}
	if len(rest) > 0 {
		return nil, errSchema
	}
	return columns, nil
}

// describe takes over what an element says of the values.
func (c *column) describe(e *format.SchemaElement) error {
	if !e.Type.Valid {
		return errors.New("its values are of no kind")
	}
	switch c.kind = e.Type.V; c.kind {
	case format.Boolean, format.ByteArray:
	case format.Int32, format.Float:
		c.width = 4
	case format.Int64, format.Double:
		c.width = 8
	case format.Int96:
		c.width = 12
	case format.FixedLenByteArray:
		if c.width = int(e.TypeLength.V); c.width <= 0 {
			return errors.New("its values are of no length")
		}
	default:
		return fmt.Errorf("its values are of a kind that is not known here (%d)", c.kind)
	}
	_, c.half = e.LogicalType.Value.(*format.Float16Type)
	return nil
}

var errCount = errors.New("a page holds more or fewer values than it says")

// check tells whether a page that is not compressed holds as many values as it says, where
// these are written one behind another: the library takes what lies behind them for values.
func (c *column) check(header *format.PageHeader, page []byte) error {
	var filled int
	switch {
	case header.DictionaryPageHeader.Valid:
		filled = int(header.DictionaryPageHeader.V.NumValues)
	case header.DataPageHeaderV2.Valid:
		v2 := &header.DataPageHeaderV2.V
		if v2.Encoding != format.Plain {
			return nil
		}
		filled = int(v2.NumValues - v2.NumNulls)
		page = page[v2.RepetitionLevelsByteLength+v2.DefinitionLevelsByteLength:]
	case header.DataPageHeader.Valid:
		v1 := &header.DataPageHeader.V
		if v1.Encoding != format.Plain || c.definition > 0 && v1.DefinitionLevelEncoding != format.RLE ||
			c.repetition > 0 && v1.RepetitionLevelEncoding != format.RLE {
			return nil
		}
		if c.repetition > 0 {
			_, rest, err := levels(page)
			if err != nil {
				return err
			}
			page = rest
		}
		filled = int(v1.NumValues)
		if c.definition > 0 {
			packed, rest, err := levels(page)
			if err != nil {
				return err
			}
			encoding := rle.Encoding{BitWidth: bits.Len(uint(c.definition))}
			all, err := encoding.DecodeLevels(nil, packed)
			if err != nil || len(all) < filled {
				return errors.Join(err, errCount)
			}
			all, page, filled = all[:filled], rest, 0
			for _, level := range all {
				if int(level) == c.definition {
					filled++
				}
			}
		}
	default:
		return nil
	}
	return c.count(page, filled)
}

// levels cuts levels from the front of a page, which stand behind their length.
func levels(page []byte) (packed, rest []byte, err error) {
	const length = 4
	if len(page) < length {
		return nil, nil, io.ErrUnexpectedEOF
	}
	n := int64(binary.LittleEndian.Uint32(page))
	if page = page[length:]; n > int64(len(page)) {
		return nil, nil, io.ErrUnexpectedEOF
	}
	return page[:n], page[n:], nil
}

// count tells whether there are n values.
func (c *column) count(values []byte, n int) error {
	switch {
	case n < 0:
		return errCount
	case c.kind == format.Boolean:
		if len(values) < (n+7)/8 {
			return errCount
		}
	case c.width > 0:
		if len(values)/c.width < n {
			return errCount
		}
	default:
		for range n {
			_, rest, err := levels(values) // bytes stand behind their length, too
			if err != nil {
				return errCount
			}
			values = rest
		}
		if len(values) > 0 {
			return errCount
		}
	}
	return nil
}
