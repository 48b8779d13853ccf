package reconcile

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/core/value/period"
)

// Rates are exchange rates: by how much one of a currency is multiplied.
type Rates struct {
	Name string
	of   map[string]amount.Amount
}

// NewRates takes in the rows of a list of rates, whose columns are currency, rate, date or
// month, and unit: a day or a month in any form that is read, or blank where a rate holds always;
// and for how many of the currency the rate is, a power of ten, or blank for one.
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
	unit := at("unit", "units", "per")
	if currency < 0 || rate < 0 {
		return nil, fmt.Errorf("%s: rates need the columns currency, rate, and date or month; there is: %s", name,
			strings.Join(layout.Columns, ", "))
	}
	for i, row := range rows {
		value, err := amount.Parse([]byte(row[rate]), decimal)
		if err != nil || value.Sign() <= 0 {
			return nil, fmt.Errorf("%s line %d: %q is no rate", name, lines[i], row[rate])
		}
		if unit >= 0 {
			if value, err = perOne(value, row[unit], decimal); err != nil {
				return nil, fmt.Errorf("%s line %d: %w", name, lines[i], err)
			}
		}
		day := ""
		if date >= 0 {
			day = dayOrMonth([]byte(row[date]))
			if named := strings.ToLower(layout.Columns[date]); named == "month" || named == "period" {
				day = day[:min(len(day), monthLength)] // of which the list may have any day
			}
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

// perOne is the rate of one, where a text says for how many it is given.
func perOne(rate amount.Amount, unit string, decimal byte) (amount.Amount, error) {
	if strings.TrimSpace(unit) == "" {
		return rate, nil
	}
	of, err := amount.Parse([]byte(unit), decimal)
	if err != nil || of.Sign() <= 0 {
		return rate, fmt.Errorf("%q is no unit", unit)
	}
	ten := amount.New(10, 0)
	for one := amount.New(1, 0); of.Cmp(one) > 0; {
		of, rate = of.Mul(amount.New(1, 1)), rate.Mul(amount.New(1, 1))
	}
	for one := amount.New(1, 0); of.Cmp(one) < 0; {
		of, rate = of.Mul(ten), rate.Mul(ten)
	}
	if of.Cmp(amount.New(1, 0)) != 0 {
		return rate, fmt.Errorf("a rate for %s is none for 1, 10, 100 or the like; write it for one", unit)
	}
	return rate, nil
}

const monthLength = len("2031-01")

// dayOrMonth is how a day or a month is known: as ISO 8601 writes it, in whatever form it stands.
func dayOrMonth(text []byte) string {
	var room []byte
	iso := string(bytes.TrimSpace(equality.Of(text, '.', &room)))
	if p, ok := period.ParseWritten(iso); ok {
		return p.String()
	}
	return iso
}

func rateKey(currency, date []byte) string {
	return strings.ToUpper(string(bytes.TrimSpace(currency))) + " " + string(bytes.TrimSpace(date))
}

// find returns the rate of a currency on a day, or else in its month, or else the one
// that holds always.
func (r *Rates) find(currency, date []byte) (amount.Amount, bool) {
	within := func(day []byte) (amount.Amount, bool) {
		if rate, ok := r.of[rateKey(currency, day)]; ok || len(day) <= monthLength {
			return rate, ok
		}
		rate, ok := r.of[rateKey(currency, day[:monthLength])]
		return rate, ok
	}
	if rate, ok := within(date); ok {
		return rate, true
	}
	if rate, ok := within([]byte(dayOrMonth(date))); ok {
		return rate, true
	}
	rate, ok := r.of[rateKey(currency, nil)]
	return rate, ok
}
