package finding

import (
	"bytes"
	"encoding/json"
	"slices"

	"lastblock/core/value/amount"
)

// Total is an amount of one column.
type Total struct {
	Column string
	Amount amount.Amount
}

// Totals are amounts of several columns, in the order in which they were asked for. In
// JSON they are an object of exact decimals by column.
type Totals []Total

// Of makes totals of amounts by column; those that are zero are left out.
func Of(columns []string, amounts []amount.Amount) Totals {
	var totals Totals
	for i, column := range columns {
		if amounts[i].Sign() != 0 {
			totals = append(totals, Total{column, amounts[i]})
		}
	}
	return totals
}

// Plus adds others, column by column.
func (t Totals) Plus(others Totals) Totals {
	sum := slices.Clone(t)
	for _, o := range others {
		at := slices.IndexFunc(sum, func(s Total) bool { return s.Column == o.Column })
		if at < 0 {
			sum = append(sum, o)
			continue
		}
		sum[at].Amount = sum[at].Amount.Add(o.Amount)
	}
	return sum
}

// MarshalJSON is that of json.Marshaler.
func (t Totals) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	b.WriteByte('{')
	for i, total := range t {
		if i > 0 {
			b.WriteByte(',')
		}
		name, err := json.Marshal(total.Column)
		if err != nil {
			return nil, err
		}
		b.Write(name)
		b.WriteString(`:"` + total.Amount.String() + `"`)
	}
	b.WriteByte('}')
	return b.Bytes(), nil
}

// UnmarshalJSON is that of json.Unmarshaler.
func (t *Totals) UnmarshalJSON(data []byte) error {
	decoder := json.NewDecoder(bytes.NewReader(data))
	*t = nil
	if _, err := decoder.Token(); err != nil {
		return err
	}
	for decoder.More() {
		name, err := decoder.Token()
		if err != nil {
			return err
		}
		var text string
		if err := decoder.Decode(&text); err != nil {
			return err
		}
		value, err := amount.Parse([]byte(text), '.')
		if err != nil {
			return err
		}
		column, _ := name.(string)
		*t = append(*t, Total{column, value})
	}
	return nil
}
