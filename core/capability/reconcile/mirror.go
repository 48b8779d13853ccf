package reconcile

import (
	"bytes"
	"context"
	"fmt"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/large/texts"
	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// Mirror says how companies book what they owe one another, each in its own records:
// what one has as due from the other, that one has with the opposite sign. Names of
// companies are the same without regard to capitals and blanks.
type Mirror struct {
	Entity       string // column of the company whose record it is
	Counterparty string // column of the other company

	Rates    *Rates // by which amounts are converted; nil for amounts as they are
	Currency string // column of the currency, with Rates
	Date     string // column of the day or the month whose rate holds, with Rates
}

// Company is a pair of companies and what each of them has booked.
type Company struct {
	A, B       string // as their records call them
	HereCount  int    // records of A about B
	ThereCount int
	Here       []amount.Amount // their balances, by Totals; converted with Rates
	There      []amount.Amount // those of B about A, as B has booked them
	Difference []amount.Amount // what is left when both are added up
	Keys       int
	Differs    int // keys on which they do not agree
	OnlyHere   int
	OnlyThere  int
	Ambiguous  int
}

// Agrees tells whether they agree on all keys, within the tolerance.
func (c *Company) Agrees() bool { return c.Differs+c.OnlyHere+c.OnlyThere+c.Ambiguous == 0 }

// convertedSuffix is what the column of converted amounts has behind its name.
const convertedSuffix = " converted"

// convertedScale is to how many digits converted amounts are rounded, half to even.
const convertedScale = 2

// mirror is how a run turns records of one set into two sides.
type mirror struct {
	entity, counterparty int
	currency, date       int
	rates                *Rates
	amount               int // of Amounts, what is converted
	takers               []*mirrorTaker
	names                map[string]spelling // by what is the same name
}

// spelling is how a name is written where it stands first; those whose own records
// they are come first.
type spelling struct {
	own   bool
	place record.Place
	text  string
}

// bindMirror finds the columns of Options.Mirror.
func (r *run) bindMirror(ctx context.Context) error {
	o, s := r.options.Mirror, r.sides[0]
	m := &mirror{rates: o.Rates, names: make(map[string]spelling)}
	find := func(word, name string, to *int) (err error) {
		if *to, err = s.Find(name); err != nil {
			return option.Errorf(word, "%w", err)
		}
		return nil
	}
	if err := find("mirror", o.Entity, &m.entity); err != nil {
		return err
	}
	if err := find("mirror", o.Counterparty, &m.counterparty); err != nil {
		return err
	}
	if len(r.options.Totals) == 0 {
		return option.Errorf("mirror", "name the amount that the companies are to agree on with ⟨total⟩")
	}
	if o.Rates != nil {
		if len(r.options.Totals) > 1 {
			return option.Errorf("rates", "one amount can be converted, and ⟨total⟩ names %d", len(r.options.Totals))
		}
		if err := find("currency", o.Currency, &m.currency); err != nil {
			return err
		}
		if err := find("dated", o.Date, &m.date); err != nil {
			return err
		}
	}
	r.mirror = m
	return nil
}

// convert has the amount of the statement converted, once the columns are known.
func (r *run) convert() {
	m := r.mirror
	if m.rates == nil {
		return
	}
	m.amount = r.totals[0]
	at := len(r.names[0])
	name := r.options.Totals[0] + convertedSuffix
	for side := range r.names {
		r.names[side] = append(r.names[side], name)
	}
	for i := range r.fields {
		if f := &r.fields[i]; f.amount == m.amount {
			// it is the converted one on which they are to agree
			converted := *f
			converted.name, converted.at, converted.amount = name, [2]int{at, at}, len(r.values[0])
			f.compared = false
			r.fields = append(r.fields, converted)
			break
		}
	}
	for side := range r.values {
		r.values[side] = append(r.values[side], at)
	}
	r.totals = []int{len(r.values[0]) - 1}
}

// mirrorTaker turns the records that one goroutine reads.
type mirrorTaker struct {
	mirror *mirror
	rooms  [3][]byte
	names  map[string]spelling
	none   int // records without a counterparty, or with itself
	first  record.Place
	noRate map[string]lacking
}

// lacking counts records for which there is no rate.
type lacking struct {
	records int
	first   record.Place
}

func (m *mirror) taker() *mirrorTaker {
	t := &mirrorTaker{mirror: m, names: make(map[string]spelling), noRate: make(map[string]lacking)}
	m.takers = append(m.takers, t)
	return t
}

var companyLoose = equality.Loose{Blanks: true, Case: true}

// turn tells on which side a record is, and begins its key with the two companies, in
// the order of their names. Of what the second one has booked the sign is turned. ok
// is false where the record takes no part.
func (t *mirrorTaker) turn(of *taker, r *matching.Record, key []byte) (side int, _ []byte, ok bool) {
	m := t.mirror
	own, other := bytes.TrimSpace(r.Texts[m.entity]), bytes.TrimSpace(r.Texts[m.counterparty])
	a := companyLoose.Append(t.rooms[0][:0], own)
	b := companyLoose.Append(t.rooms[1][:0], other)
	t.rooms[0], t.rooms[1] = a, b
	if len(own) == 0 || len(other) == 0 || bytes.Equal(a, b) {
		if t.none++; t.none == 1 || r.Place < t.first {
			t.first = r.Place
		}
		of.without.dropped++
		for i, value := range r.Values {
			of.without.left[i].Add(value)
		}
		return 0, key, false
	}
	if m.rates != nil && !t.convert(of, r) {
		return 0, key, false
	}
	t.note(a, spelling{true, r.Place, string(own)})
	t.note(b, spelling{false, r.Place, string(other)})
	if bytes.Compare(a, b) > 0 {
		side, a, b = 1, b, a
	}
	if side == 1 {
		r.Changed()
		for i, column := range of.run.sides[0].Amounts {
			if len(r.Texts[column]) > 0 {
				r.Values[i] = r.Values[i].Neg()
				r.Texts[column] = r.Values[i].Append(nil)
			}
		}
		if m.rates != nil {
			at := len(r.Texts) - 1
			r.Texts[at] = amountOf(r.Texts[at]).Neg().Append(nil)
		}
	}
	return side, texts.Append(texts.Append(key, a), b), true
}

// convert puts the converted amount behind the texts of a record; false where there is
// no rate for it.
func (t *mirrorTaker) convert(of *taker, r *matching.Record) bool {
	m := t.mirror
	r.Texts = r.Texts[:len(of.run.sides[0].Columns)]
	currency, date := r.Texts[m.currency], r.Texts[m.date]
	rate, ok := m.rates.find(currency, equality.Of(date, r.Decimals[m.date], &t.rooms[2]))
	if !ok {
		key := string(currency) + "\x00" + string(date)
		l := t.noRate[key]
		if l.records++; l.records == 1 || r.Place < l.first {
			l.first = r.Place
		}
		t.noRate[key] = l
		of.without.suspense++
		for i, value := range r.Values {
			of.without.suspended[i].Add(value)
		}
		return false
	}
	r.Texts = append(r.Texts, r.Values[m.amount].Mul(rate).Round(convertedScale).Append(nil))
	return true
}

func (t *mirrorTaker) note(name []byte, s spelling) {
	known, ok := t.names[string(name)]
	if !ok || s.before(known) {
		t.names[string(name)] = s
	}
}

func (s spelling) before(o spelling) bool {
	if s.own != o.own {
		return s.own
	}
	return s.place < o.place
}

// pairOf are the two companies of a key, as groups are called.
func (m *mirror) pairOf(key []byte) string {
	a, rest := texts.Take(key)
	b, _ := texts.Take(rest)
	return m.name(a) + "\x00" + m.name(b)
}

// name is how a company is called. The names are known once all records are read.
func (m *mirror) name(same []byte) string {
	if s, ok := m.names[string(same)]; ok {
		return s.text
	}
	return string(same)
}

func (m *mirror) between(key []byte) string {
	a, b, _ := strings.Cut(m.pairOf(key), "\x00")
	return a + " and " + b
}

// booked says what each of two companies has booked, and what is left of it.
func (m *mirror) booked(key []byte, column string, here, there amount.Amount) string {
	a, b, _ := strings.Cut(m.pairOf(key), "\x00")
	return fmt.Sprintf("%s of %s %s, of %s %s, together %s", column, a, here.Money(), b, there.Neg().Money(),
		here.Sub(there).Money())
}

// onlyOne says that one company only has booked something.
func (m *mirror) onlyOne(key []byte, side int, what, value string) string {
	a, b, _ := strings.Cut(m.pairOf(key), "\x00")
	if side == 1 {
		a, b = b, a
		value = amountOf([]byte(value)).Neg().String()
	}
	if what != "" {
		what += ", "
	}
	return fmt.Sprintf("%s%s: booked by %s about %s, and not by %s", what, amountOf([]byte(value)).Money(), a, b, b)
}

// finishReading puts together what the takers have seen.
func (r *run) finishReading() {
	m, none, first := r.mirror, 0, record.Place(0)
	noRate := make(map[string]lacking)
	for _, t := range m.takers {
		for name, s := range t.names {
			if known, ok := m.names[name]; !ok || s.before(known) {
				m.names[name] = s
			}
		}
		if t.none > 0 && (none == 0 || t.first < first) {
			first = t.first
		}
		none += t.none
		for key, l := range t.noRate {
			known := noRate[key]
			if known.records == 0 || l.first < known.first {
				known.first = l.first
			}
			known.records += l.records
			noRate[key] = known
		}
	}
	at := func(kind finding.Kind, place record.Place) finding.Finding {
		of := &r.sides[0].Set.Sources[place.Source()]
		return finding.Finding{Kind: kind, Source: of.Name, Sheet: of.Sheet(),
			Order: place.Source(), Line: place.Line()}
	}
	if none > 0 {
		f := at(finding.OneCompany, first)
		f.Count = none
		f.Message = fmt.Sprintf("%s no other company as counterparty, and %s left out", recordsHave(none),
			wasWere(none))
		r.list.Add(f)
	}
	for key, l := range noRate {
		currency, date, _ := strings.Cut(key, "\x00")
		f := at(finding.NoRate, l.first)
		f.Column, f.Key, f.Count = r.options.Mirror.Currency, currency+" "+date, l.records
		f.Message = fmt.Sprintf("there is no rate of %s for %s, so %s cannot be converted", orBlank(currency),
			orBlank(date), records(l.records))
		r.list.Add(f)
	}
}

func orBlank(text string) string {
	if strings.TrimSpace(text) == "" {
		return "(blank)"
	}
	return text
}

func recordsHave(n int) string {
	if n == 1 {
		return "1 record has"
	}
	return records(n) + " have"
}

func wasWere(n int) string {
	if n == 1 {
		return "was"
	}
	return "were"
}

// finishMirror makes the table of companies of the statements of their pairs.
func (r *run) finishMirror(result *Result) {
	for i := range result.Groups {
		s := &result.Groups[i]
		first, last := &s.Lines[0], &s.Lines[len(s.Lines)-1]
		c := Company{A: s.By[0], B: s.By[1], HereCount: first.Count, ThereCount: last.Count, Here: first.Amounts}
		for k := range first.Amounts {
			c.There = append(c.There, last.Amounts[k].Neg())
			c.Difference = append(c.Difference, first.Amounts[k].Sub(last.Amounts[k]))
		}
		for _, w := range r.workers {
			if n := w.pairs[strings.Join(s.By, "\x00")]; n != nil {
				for _, keys := range n {
					c.Keys += keys
				}
				c.Differs += n[Differs]
				c.OnlyHere += n[OnlyHere]
				c.OnlyThere += n[OnlyThere]
				c.Ambiguous += n[Ambiguous]
			}
		}
		result.Companies = append(result.Companies, c)
	}
	result.Groups = nil
}
