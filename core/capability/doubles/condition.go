package doubles

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/value/amount"
)

// Near says when two records are almost the same: all of its conditions hold.
type Near struct{ Conditions []Condition }

// Condition is what has to hold for one column of two records.
type Condition struct {
	Column string
	Kind   ConditionKind
	Within amount.Amount // for Tolerance
	Most   int           // for Days, and Edits
}

// ConditionKind is a kind of condition.
type ConditionKind int

// The kinds of conditions.
const (
	Same      ConditionKind = iota // the values mean the same
	Opposite                       // amounts that add up to zero, and are none
	Tolerance                      // amounts that differ by no more than Within
	Days                           // days that are no more than Most apart
	Edits                          // texts that become equal by no more than Most edits
)

// ParseNear reads conditions as "amount:0.01, posted:3d, document:1, party:same".
// A number with a decimal point is a tolerance, one with d behind it days, and a
// whole number edits, unless the column is one of amounts, in which it is a
// tolerance as well. Behind the last colon stands the condition, so that a
// column's name may have one. At least one condition must narrow down which
// records are compared: any but edits does.
func ParseNear(text string, amounts []string) (Near, error) {
	var n Near
	narrow := false
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		at := strings.LastIndexByte(part, ':')
		if at <= 0 || at == len(part)-1 {
			return Near{}, fmt.Errorf("%q: a column and its condition are needed, as amount:0.01, posted:3d, "+
				"document:1, party:same or amount:opposite", part)
		}
		column := strings.TrimSpace(part[:at])
		c, err := parseCondition(column, strings.TrimSpace(part[at+1:]), slices.Contains(amounts, column))
		if err != nil {
			return Near{}, err
		}
		if slices.ContainsFunc(n.Conditions, func(o Condition) bool { return o.Column == column }) {
			return Near{}, fmt.Errorf("%q: there are two conditions for this column", column)
		}
		narrow = narrow || c.Kind != Edits
		n.Conditions = append(n.Conditions, c)
	}
	if !narrow {
		return Near{}, fmt.Errorf("%q: every record would have to be compared with every other one; name at least "+
			"one column that must be the same, or an amount within a tolerance, or a date within days", text)
	}
	return n, nil
}

func parseCondition(column, text string, isAmount bool) (Condition, error) {
	c := Condition{Column: column}
	whole, errWhole := strconv.Atoi(text)
	days, isDays := strings.CutSuffix(text, "d")
	value, errValue := amount.Parse([]byte(text), '.')
	switch {
	case text == "same":
		return c, nil
	case text == "opposite":
		c.Kind = Opposite
		return c, nil
	case isDays:
		n, err := strconv.Atoi(days)
		if err != nil || n < 0 {
			return c, fmt.Errorf("%s:%s: a number of days is needed, as 3d", column, text)
		}
		c.Kind, c.Most = Days, n
		return c, nil
	case errWhole == nil && !isAmount && whole >= 0:
		c.Kind, c.Most = Edits, whole
		return c, nil
	case errValue == nil && value.Sign() >= 0:
		c.Kind, c.Within = Tolerance, value
		return c, nil
	}
	return c, fmt.Errorf("%s:%s: behind the colon stands a tolerance as 0.01, days as 3d, a number of edits as 1, "+
		"same, or opposite", column, text)
}

// columns are the columns of the conditions.
func (n *Near) columns() []string {
	var columns []string
	for _, c := range n.Conditions {
		columns = append(columns, c.Column)
	}
	return columns
}

// sliding is the condition by which neighbours are compared, too: the first
// tolerance, or else the first days; -1 where there is neither.
func (n *Near) sliding() int {
	for _, kind := range []ConditionKind{Tolerance, Days} {
		for i, c := range n.Conditions {
			if c.Kind == kind && (c.Most > 0 || c.Within.Sign() > 0) {
				return i
			}
		}
	}
	return -1
}
