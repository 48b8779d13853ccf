package reconcile

import (
	"context"
	"strconv"
	"strings"

	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// ReferencePrefix stands before the words of options that speak of the reference.
const ReferencePrefix = "against-"

// Request is a reconciliation in the words of a plan or a command line.
type Request struct {
	Against []string

	Key           []string
	KeyThere      []string
	ThenKey       []string
	Loose         []string
	Compare       []string
	Tolerance     []string
	Days          []string
	Sum           []string
	Combine       int
	CombineWithin []string
	Totals        []string
	By            []string
	Severity      []string

	Corrected string
	Prefer    string

	Mirror      string
	Rates       string
	RatesRename []string
	Currency    string
	Dated       string
}

// NewRequest is a request with nothing but what is usual.
func NewRequest() Request { return Request{Currency: "currency", Dated: "period"} }

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "against", Value: &r.Against, Whole: true, File: option.Read,
			Meaning: "the reference: files, folders, patterns, or a database as postgres://user@host/name with " +
				"⟨query⟩"},
		{Word: "key", Value: &r.Key, Columns: option.AnyColumns,
			Meaning: "columns that say which records belong together"},
		{Word: ReferencePrefix + "key", Value: &r.KeyThere,
			Meaning: "what the columns of ⟨key⟩ are called in the reference, in their order"},
		{Word: "then-key", Value: &r.ThenKey, Whole: true,
			Meaning: "another key for what is left then, e.g. 'amount,posted'; may be given several times"},
		{Word: "loose", Value: &r.Loose, Whole: true,
			Meaning: "what makes no difference in keys: blanks, case, zeros (in front), " +
				"punctuation; of one column as 'document=zeros,case'"},
		{Word: "compare", Value: &r.Compare, Columns: option.AnyColumns,
			Meaning: "columns to compare (all that both sides have)"},
		{Word: "tolerance", Value: &r.Tolerance,
			Meaning: "by how much amounts may differ, e.g. 'amount=0.05' or 'amount=0.1%' of the larger one"},
		{Word: "days", Value: &r.Days, Meaning: "by how many days dates may differ, e.g. 'posted=2'"},
		{Word: "sum", Value: &r.Sum, Columns: option.AnyColumns,
			Meaning: "amount columns to add up by key on each side first"},
		{Word: "combine", Value: &r.Combine,
			Meaning: "up to N records may make one on the other side, of what the keys leave"},
		{Word: "combine-within", Value: &r.CombineWithin, Columns: option.AnyColumns,
			Meaning: "only among records that have these columns in common"},
		{Word: "total", Value: &r.Totals, Columns: option.AnyColumns,
			Meaning: "totals that the statement reconciles, line by line"},
		{Word: "by", Value: &r.By, Columns: option.AnyColumns,
			Meaning: "one more statement for each value of these columns, or words of ⟨name⟩"},
		{Word: "corrected", Value: &r.Corrected, File: option.Written,
			Meaning: "write the set with the values of ⟨prefer⟩, and what only the other side has"},
		{Word: "prefer", Value: &r.Prefer, Meaning: "whose values ⟨corrected⟩ has: records or reference"},
		{Word: "mirror", Value: &r.Mirror, Meaning: "reconcile companies with one another, e.g. 'entity=counterparty'"},
		{Word: "rates", Value: &r.Rates, File: option.Read,
			Meaning: "exchange rates, with ⟨mirror⟩: a file with the columns currency, rate, date or month, and unit"},
		{Word: "rates-rename", Value: &r.RatesRename,
			Meaning: "give columns of the rates other names, e.g. 'Kurs=rate'"},
		{Word: "currency", Value: &r.Currency, Meaning: "the column of the currency, with ⟨rates⟩"},
		{Word: "dated", Value: &r.Dated, Meaning: "the column of the day or month of the rate, with ⟨rates⟩"},
	}
}

// Read reads a request. The error is an *option.Error.
func (r *Request) Read() (Options, error) {
	q := &requestReader{Request: r, options: Options{
		Compare: r.Compare, Sum: r.Sum, Combine: r.Combine, CombineWithin: r.CombineWithin, Totals: r.Totals, By: r.By,
	}}
	for _, read := range []func() error{
		q.columns, q.keys, q.loose, q.tolerances, q.days, q.checkSides, q.checkCombined, q.checkCorrected,
		q.mirror,
	} {
		if err := read(); err != nil {
			return q.options, err
		}
	}
	return q.options, nil
}

// requestReader reads a request, one thing after another.
type requestReader struct {
	*Request
	options Options
}

func (q *requestReader) columns() error { return q.Options().Distinct() }

func (q *requestReader) keys() error {
	if len(q.Key) > 0 {
		q.options.Keys = append(q.options.Keys, q.Key)
	}
	for _, text := range q.ThenKey {
		names := strings.Split(text, ",")
		if err := option.Distinct("then-key", names); err != nil {
			return err
		}
		q.options.Keys = append(q.options.Keys, names)
	}
	return nil
}

func (q *requestReader) loose() (err error) {
	for _, text := range q.Loose {
		column, words, named := strings.Cut(text, "=")
		if !named {
			column, words = "", text
		}
		l := Loose{Column: strings.TrimSpace(column)}
		if l.Loose, err = equality.ParseLoose(option.Split(words)); err != nil {
			return option.Errorf("loose", "%w", err)
		}
		q.options.Loose = append(q.options.Loose, l)
	}
	return nil
}

func (q *requestReader) tolerances() (err error) {
	for _, text := range q.Tolerance {
		var t Tolerance
		column, size, _ := strings.Cut(text, "=")
		size, t.Percent = strings.CutSuffix(strings.TrimSpace(size), "%")
		t.Column = strings.TrimSpace(column)
		if t.Within, err = amount.Parse([]byte(strings.TrimSpace(size)), '.'); err != nil || t.Within.Sign() < 0 ||
			t.Column == "" {
			return option.Errorf("tolerance", "%q is not of the form 'amount=0.05' or 'amount=0.1%%'", text)
		}
		q.options.Tolerances = append(q.options.Tolerances, t)
	}
	return nil
}

func (q *requestReader) days() error {
	for _, text := range q.Days {
		column, number, _ := strings.Cut(text, "=")
		n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimSpace(number), "d"))
		if err != nil || n < 0 || strings.TrimSpace(column) == "" {
			return option.Errorf("days", "%q is not of the form 'posted=2'", text)
		}
		q.options.Days = append(q.options.Days, Days{Column: strings.TrimSpace(column), Most: n})
	}
	return nil
}

func (q *requestReader) checkSides() error {
	switch mirrored := q.Mirror != ""; {
	case !mirrored && len(q.Against) == 0:
		return option.Errorf("against", "what is it to be reconciled with? Name the reference behind ⟨against⟩")
	case mirrored && len(q.Against) > 0:
		return option.Errorf("mirror", "it reconciles the records with one another, and does not go together with "+
			"⟨against⟩")
	case !mirrored && q.Rates != "":
		return option.Errorf("rates", "it goes together with ⟨mirror⟩; elsewhere ⟨make⟩ computes a converted amount")
	case !mirrored && len(q.Key) == 0:
		return option.Errorf("key", "name the columns that say which records belong together")
	case mirrored && len(q.By) > 0:
		return option.Errorf("by", "with ⟨mirror⟩ there is a statement for each two companies already")
	case len(q.KeyThere) > 0 && len(q.KeyThere) != len(q.Key):
		return option.Errorf(ReferencePrefix+"key",
			"it names %d of the columns, and ⟨key⟩ %d; each is the name of one of them in the reference",
			len(q.KeyThere), len(q.Key))
	}
	return nil
}

func (q *requestReader) checkCombined() error {
	switch {
	case q.Combine < 0 || q.Combine == 1:
		return option.Wrong("combine", q.Combine, "at least 2 records are needed to be put together")
	case q.Combine == 0 && len(q.CombineWithin) > 0:
		return option.Errorf("combine-within", "it goes together with ⟨combine⟩")
	}
	return nil
}

// Whose values a corrected set has.
const (
	PreferRecords   = "records"
	PreferReference = "reference"
)

func (q *requestReader) checkCorrected() error {
	if said, ok := map[string]string{"here": PreferRecords, "there": PreferReference}[q.Prefer]; ok {
		q.Prefer = said // as plans of earlier versions have it
	}
	switch {
	case q.Corrected != "" && q.Prefer == "":
		return option.Errorf("corrected", "whose values is it to have? Say ⟨prefer⟩ records or ⟨prefer⟩ reference")
	case q.Prefer != "" && q.Prefer != PreferRecords && q.Prefer != PreferReference:
		return option.Errorf("prefer", "%q is neither %s nor %s", q.Prefer, PreferRecords, PreferReference)
	case q.Prefer != "" && q.Corrected == "":
		return option.Errorf("prefer", "it goes together with ⟨corrected⟩")
	case q.Corrected != "" && (q.Mirror != "" || len(q.Sum) > 0):
		return option.Errorf("corrected", "records that were added up or mirrored make no corrected set")
	}
	return nil
}

func (q *requestReader) mirror() error {
	if q.Mirror == "" {
		return nil
	}
	entity, counterparty, ok := option.Pair(q.Mirror)
	if !ok {
		return option.Errorf("mirror", "%q is not of the form 'entity=counterparty'", q.Mirror)
	}
	q.options.Mirror = &Mirror{Entity: entity, Counterparty: counterparty, Currency: q.Currency, Date: q.Dated}
	return nil
}

// Renames are how the columns of the reference's key are to be called as those of the records.
func (r *Request) Renames() []string {
	var renames []string
	for i, there := range r.KeyThere {
		if there != r.Key[i] {
			renames = append(renames, there+"="+r.Key[i])
		}
	}
	return renames
}

// ReadRates reads the exchange rates for options with a mirror; they are no source of the set.
// The error is an *option.Error.
func (r *Request) ReadRates(ctx context.Context, set *source.Set, reading source.Reading, options *Options) error {
	if r.Rates == "" {
		return nil
	}
	table, err := set.ReadBeside(ctx, r.Rates, reading, 0)
	if err != nil {
		return option.Errorf("rates", "%w", err)
	}
	renames, err := shape.ParseRenames(r.RatesRename)
	if err == nil {
		err = table.Rename(renames)
	}
	if err != nil {
		return option.Errorf("rates-rename", "%w", err)
	}
	if options.Mirror.Rates, err = NewRates(r.Rates, table.Layout, table.Rows, table.Lines, table.Decimal); err != nil {
		return option.Errorf("rates", "%w", err)
	}
	set.LeaveOut("the exchange rates", r.Rates)
	return nil
}
