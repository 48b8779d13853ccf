package report

import (
	"math"
	"strconv"
	"strings"
	"time"

	"lastblock/core/value/amount"
	"lastblock/show"
)

func text(s string) Cell { return Cell{Text: s} }

func count(n int) Cell {
	value := amount.New(int64(n), 0)
	return Cell{Number: &value, Whole: true, Text: show.Number(n)}
}

// Counted is the cell of a number of things.
func Counted(n int) Cell { return count(n) }

// countOrBlank is blank for none.
func countOrBlank(n int) Cell {
	if n == 0 {
		return Cell{}
	}
	return count(n)
}

func money(a amount.Amount) Cell { return Cell{Number: &a} }

// figureCell is a declared or found figure, of which rows and the like are counts.
func figureCell(figure string, a amount.Amount) Cell {
	c := money(a)
	if figure == "rows" || strings.HasPrefix(figure, "distinct_") || strings.HasPrefix(figure, "hash_") {
		c.Whole, c.Text = true, a.Money()
	}
	return c
}

// moneyOf is blank for none.
func moneyOf(a *amount.Amount) Cell {
	if a == nil {
		return Cell{}
	}
	return money(*a)
}

func percent(part, whole amount.Amount) Cell {
	const places = 2
	share, ok := amount.Share(part, whole, places)
	if !ok {
		return Cell{}
	}
	return Cell{Number: &share}
}

func moment(t time.Time) Cell { return Cell{Time: t, Text: t.UTC().Format("2006-01-02 15:04")} }

// parsed is an amount of a block, which has them as texts.
func parsed(text string) (amount.Amount, bool) {
	value, err := amount.Parse([]byte(text), '.')
	return value, err == nil
}

// float is an amount to be drawn.
func float(a amount.Amount) float64 {
	f, err := strconv.ParseFloat(a.String(), 64)
	if err != nil {
		return 0
	}
	return f
}

// unit is in which amounts are written beside marks: long ones in thousands.
type unit struct{ thousands bool }

// unitOf is the unit of amounts that stand in one chart: thousands, where some of them are long and none is so small
// that nothing would be left of it.
func unitOf(values []float64) unit {
	const long, small = 100_000, 1_000
	u := unit{}
	for _, v := range values {
		switch v = math.Abs(v); {
		case v >= long:
			u.thousands = true
		case v > 0 && v < small:
			return unit{}
		}
	}
	return u
}

func (u unit) label(a amount.Amount) string {
	if u.thousands {
		return a.Mul(amount.New(1, 3)).Round(0).Money()
	}
	return a.Round(0).Money()
}

// signed is label with a plus before what is more than nothing.
func (u unit) signed(a amount.Amount) string {
	if a.Sign() > 0 {
		return "+" + u.label(a)
	}
	return u.label(a)
}

// caption says in which unit a chart is.
func (u unit) caption(of string) string {
	if u.thousands {
		return of + ", in thousands"
	}
	return of
}
