package shape

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
	"lastblock/core/value/nearest"
)

// Words are a request in the words of a plan or a command line.
type Words struct {
	Rename []string
	As     []string
	Drop   []string
	Make   []string
	Where  string
}

// Options are those of the form that records are to have. What several places say of them
// adds up.
func (w *Words) Options() option.List {
	return option.List{
		{Word: "rename", Value: &w.Rename, Subject: beforeFirst,
			Meaning: "give columns other names, e.g. 'Konto=account,Acct No=account'"},
		{Word: "as", Value: &w.As, Subject: beforeLast,
			Meaning: "read columns as a kind, e.g. 'account=text,posted=date:dmy'; amounts and dates are then " +
				"written plainly"},
		{Word: "drop", Value: &w.Drop, Subject: strings.TrimSpace, PerResult: true, Meaning: "leave out columns"},
		{Word: "make", Value: &w.Make, Whole: true, Subject: beforeFirst, PerResult: true,
			Meaning: "compute a column, e.g. 'net=debit-credit'"},
		// each condition must be met
		{Word: "where", Value: &w.Where, Subject: func(text string) string { return text }, PerResult: true,
			Meaning: "read only records for which this holds, e.g. 'account == \"4000\" && debit > 100'"},
	}
}

// beforeFirst is what a text such as 'net=debit-credit' is about.
func beforeFirst(text string) string {
	return strings.TrimSpace(text[:max(0, strings.IndexByte(text, '='))])
}

// beforeLast is what a text such as 'a=b=amount' is about, in which the column is called "a=b".
func beforeLast(text string) string {
	return strings.TrimSpace(text[:max(0, strings.LastIndexByte(text, '='))])
}

// Request reads the words; nil where there are none. prefix stands before the words of the
// options in an error, which is an *option.Error.
func (w *Words) Request(prefix string) (*Request, error) {
	if w.Rename == nil && w.As == nil && w.Drop == nil && w.Make == nil && w.Where == "" {
		return nil, nil
	}
	r := &Request{Drop: w.Drop}
	var err error
	if r.Rename, err = ParseRenames(w.Rename); err != nil {
		return nil, option.Errorf(prefix+"rename", "%w", err)
	}
	for _, text := range w.As {
		as, err := parseAs(text)
		if err != nil {
			return nil, option.Errorf(prefix+"as", "%w", err)
		}
		r.As = append(r.As, as)
	}
	for _, text := range w.Make {
		made, err := parseMake(text)
		if err == nil && slices.ContainsFunc(r.Make, func(other Make) bool { return other.Name == made.Name }) {
			err = fmt.Errorf("%q is computed twice", made.Name)
		}
		if err != nil {
			return nil, option.Errorf(prefix+"make", "%w", err)
		}
		r.Make = append(r.Make, made)
	}
	if w.Where != "" {
		if r.Where, err = expression.ParseCondition(w.Where, "debit > 100"); err != nil {
			return nil, option.Errorf(prefix+"where", "%w", err)
		}
	}
	return r, nil
}

// Amounts are the columns that are to be read as amounts.
func (w *Words) Amounts() []string {
	var columns []string
	for _, text := range w.As {
		if as, err := parseAs(text); err == nil && as.Kind == record.Amount {
			columns = append(columns, as.Column)
		}
	}
	return columns
}

// ParseRenames reads texts such as 'old name=new name'.
func ParseRenames(texts []string) (all []Rename, err error) {
	for _, text := range texts {
		from, to, ok := option.Pair(text)
		if !ok {
			return nil, fmt.Errorf("%q is not of the form 'old name=new name'", text)
		}
		all = append(all, Rename{From: from, To: to})
	}
	return all, nil
}

// parseMake reads name=expression.
func parseMake(text string) (Make, error) {
	name, formula, ok := strings.Cut(text, "=")
	made := Make{Name: strings.TrimSpace(name)}
	if !ok || made.Name == "" {
		return made, fmt.Errorf("%q is not of the form 'name=expression'", text)
	}
	var err error
	made.Expression, err = expression.Parse(formula)
	return made, err
}

// dateOrders are the orders of a date's parts by their initials.
var dateOrders = map[string]date.Order{"dmy": date.DayMonthYear, "mdy": date.MonthDayYear, "ymd": date.YearMonthDay}

// parseAs reads column=kind, with the order behind a date.
func parseAs(text string) (As, error) {
	i := strings.LastIndexByte(text, '=')
	if i <= 0 {
		return As{}, fmt.Errorf("%q is not of the form 'column=kind'", text)
	}
	kind, order, ordered := strings.Cut(strings.TrimSpace(text[i+1:]), ":")
	as := As{Column: strings.TrimSpace(text[:i]), Kind: record.Kind(kind), Order: date.Unclear}
	if !slices.Contains(record.Kinds, as.Kind) {
		var kinds []string
		for _, k := range record.Kinds {
			kinds = append(kinds, string(k))
		}
		return as, nearest.Unknown("kind", kind, kinds)
	}
	if !ordered {
		return as, nil
	}
	known := false
	if as.Order, known = dateOrders[order]; !known || as.Kind != record.Date {
		return as, fmt.Errorf("%q: behind a date stands dmy, mdy or ymd, and behind other kinds nothing", text)
	}
	return as, nil
}
