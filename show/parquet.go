package show

import (
	"bytes"
	"fmt"
	"io"
	"math/big"
	"time"

	"lastblock/core/record"
	"lastblock/core/value/amount"

	"github.com/parquet-go/parquet-go"
)

// parquetWriter writes records as columns: amounts as decimals of 38 digits,
// dates as dates, flags as booleans, all else as texts. Blank is null.
type parquetWriter struct {
	writer  *parquet.GenericWriter[any]
	columns []Cells
	row     parquet.Row
	rows    int
}

const (
	decimalDigits = 38 // the most that a Parquet decimal of 16 bytes has
	decimalBytes  = 16
	groupRows     = 200_000 // rows that are held in memory until they are written
)

// orderedGroup is a group whose columns stand in the order of the result; the
// library's own sorts them.
type orderedGroup struct {
	parquet.Group
	fields []parquet.Field
}

func (g orderedGroup) Fields() []parquet.Field { return g.fields }

func newParquetWriter(w io.Writer, columns []Cells) (*parquetWriter, error) {
	group := parquet.Group{}
	for _, column := range columns {
		node := parquet.String()
		switch column.Kind {
		case record.Amount:
			if column.Scale >= decimalDigits {
				return nil, fmt.Errorf("column %q has %d decimals, and a Parquet decimal holds %d digits", column.Name,
					column.Scale, decimalDigits)
			}
			node = parquet.Decimal(column.Scale, decimalDigits, parquet.FixedLenByteArrayType(decimalBytes))
		case record.Date:
			node = parquet.Date()
		case record.Flag:
			node = parquet.Leaf(parquet.BooleanType)
		}
		group[column.Name] = parquet.Optional(node)
	}
	byName := make(map[string]parquet.Field)
	for _, field := range group.Fields() {
		byName[field.Name()] = field
	}
	ordered := orderedGroup{Group: group}
	for _, column := range columns {
		ordered.fields = append(ordered.fields, byName[column.Name])
	}
	schema := parquet.NewSchema("records", ordered)
	return &parquetWriter{
		writer:  parquet.NewGenericWriter[any](w, schema, parquet.Compression(&parquet.Zstd)),
		columns: columns,
	}, nil
}

func (p *parquetWriter) Write(texts [][]byte, kinds []record.Kind) error {
	p.row = p.row[:0]
	for i, text := range texts {
		value, err := p.value(i, text, kinds[i])
		if err != nil {
			return err
		}
		defined := 1
		if value.IsNull() {
			defined = 0
		}
		p.row = append(p.row, value.Level(0, defined, i))
	}
	if _, err := p.writer.WriteRows([]parquet.Row{p.row}); err != nil {
		return err
	}
	if p.rows++; p.rows%groupRows == 0 {
		return p.writer.Flush()
	}
	return nil
}

func (p *parquetWriter) value(column int, text []byte, kind record.Kind) (parquet.Value, error) {
	c := &p.columns[column]
	wrong := func() (parquet.Value, error) {
		return parquet.Value{}, fmt.Errorf("column %q holds %q, which is no %s; say --as %s=text", c.Name, text, c.Kind,
			c.Name)
	}
	switch {
	case len(text) == 0 && (text == nil || !c.Blank || c.Kind != record.Text && c.Kind != ""):
		return parquet.NullValue(), nil
	case c.Kind == record.Text || c.Kind == "":
		return parquet.ByteArrayValue(bytes.Clone(text)), nil
	case kind != c.Kind:
		return wrong()
	case kind == record.Flag:
		return parquet.BooleanValue(string(text) == "true"), nil
	case kind == record.Date:
		day, err := time.Parse(time.DateOnly, string(text))
		if err != nil {
			return wrong()
		}
		return parquet.Int32Value(int32(day.Unix() / 86400)), nil
	}
	value, err := amount.Parse(text, '.')
	if err != nil {
		return wrong()
	}
	coefficient, ok := value.Unscaled(c.Scale)
	if !ok || len(new(big.Int).Abs(coefficient).String()) > decimalDigits {
		return parquet.Value{}, fmt.Errorf("column %q holds %s, which has more digits than a Parquet decimal of "+
			"scale %d", c.Name, value, c.Scale)
	}
	return parquet.FixedLenByteArrayValue(twosComplement(coefficient)), nil
}

// twosComplement writes a number in 16 bytes, the highest first.
func twosComplement(n *big.Int) []byte {
	if n.Sign() < 0 {
		n = new(big.Int).Add(n, new(big.Int).Lsh(big.NewInt(1), 8*decimalBytes))
	}
	return n.FillBytes(make([]byte, decimalBytes))
}

func (p *parquetWriter) Close() error { return p.writer.Close() }
