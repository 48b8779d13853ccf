package reconcile

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// Rates are exchange rates: by how much one of a currency is multiplied.
type Rates struct {
	Name string
	of   map[string]amount.Amount
}

// NewRates takes in the rows of a list of rates, whose columns are currency, rate, and
// date or month: a day as in ISO 8601 or a month, or blank where a rate holds always.
// decimal is the mark of its rates. The error says which row does not hold.
func NewRates(name string, layout *record.Layout, rows [][]string, lines []int, decimal byte) (*Rates, error) {
	rates := &Rates{Name: name, of: make(map[string]amount.Amount)}
	at := func(names ...string) int {
		for i, column := range layout.Columns {
			if slices.ContainsFunc(names, func(name string) bool { return strings.EqualFold(name, column) }) {
				return i
			}
		}
		return -1
	}
	currency, rate, date := at("currency"), at("rate"), at("date", "month", "day", "period")
	if currency < 0 || rate < 0 {
		return nil, fmt.Errorf("%s: rates need the columns currency, rate, and date or month; there is: %s", name,
			strings.Join(layout.Columns, ", "))
	}
	for i, row := range rows {
		value, err := amount.Parse([]byte(row[rate]), decimal)
		if err != nil || value.Sign() <= 0 {
			return nil, fmt.Errorf("%s line %d: %q is no rate", name, lines[i], row[rate])
		}
		day := ""
		if date >= 0 {
			var room []byte
			day = string(equality.Of([]byte(row[date]), '.', &room))
		}
		key := rateKey([]byte(row[currency]), []byte(day))
		if known, ok := rates.of[key]; ok && known.Cmp(value) != 0 {
			return nil, fmt.Errorf("%s line %d: a second rate of %s for %s", name, lines[i], row[currency],
				orBlank(day))
		}
		rates.of[key] = value
	}
	return rates, nil
}

func rateKey(currency, date []byte) string {
	return strings.ToUpper(string(bytes.TrimSpace(currency))) + " " + string(bytes.TrimSpace(date))
}

// find returns the rate of a currency on a day, or else in its month, or else the one
// that holds always.
func (r *Rates) find(currency, date []byte) (amount.Amount, bool) {
	const month = len("2031-01")
	for _, when := range [][]byte{date, date[:min(len(date), month)], nil} {
		if rate, ok := r.of[rateKey(currency, when)]; ok {
			return rate, true
		}
	}
	return amount.Amount{}, false
}
