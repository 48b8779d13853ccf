package tieout

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/value/amount"
	"lastblock/core/value/expression"
	"lastblock/core/value/period"
)

// Request is a tie-out in the words of a plan or a command line.
type Request struct {
	Totals     []string
	HashTotals []string
	Distinct   []string

	Declared       string
	DeclaredRename []string
	DeclaredLabels []string
	Tolerance      []string
	ToleranceRows  int

	Roster       string
	RosterRename []string
	Periods      []string

	Balance   []string
	BalanceBy string
	Sequence  []string
	Inside    string
	Required  []string
	Allowed   []string
	Rules     []string
	RuleNames []string
}

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "total", Value: &r.Totals, Columns: option.DataColumns, Meaning: "columns to add up"},
		{Word: "hash-total", Value: &r.HashTotals, Columns: option.DataColumns,
			Meaning: "columns of codes whose numbers are added up, blanks and letters left out"},
		{Word: "distinct", Value: &r.Distinct, Columns: option.DataColumns,
			Meaning: "columns whose different values are counted"},
		{Word: "declared", Value: &r.Declared, File: option.Read, Path: besideUnlessPattern,
			Meaning: "what the branches declared: the control sheet, or as '{source}.ctl' a file beside each source"},
		{Word: "declared-rename", Value: &r.DeclaredRename,
			Meaning: "give columns of the control sheet other names, e.g. 'Number of entries=rows,Sum " +
				"debit=debit'"},
		{Word: "declared-label", Value: &r.DeclaredLabels,
			Meaning: "labels used on covering sheets, and in files beside a source, e.g. 'Number of lines=rows,Sum " +
				"debit=debit'"},
		{Word: "tolerance", Value: &r.Tolerance,
			Meaning: "by how much totals may differ, e.g. debit=0.05"},
		{Word: "tolerance-rows", Value: &r.ToleranceRows,
			Meaning: "by how many rows counts may differ"},
		{Word: "roster", Value: &r.Roster, File: option.Read,
			Meaning: "who has to file: a file with the column entity, and if need be from and until"},
		{Word: "roster-rename", Value: &r.RosterRename,
			Meaning: "give columns of the roster other names, e.g. 'Company=entity'"},
		{Word: "periods", Value: &r.Periods,
			Meaning: "for which periods (those that came), e.g. 2031-01..2031-03, 2031Q1 or 2031-W05"},
		{Word: "balance", Value: &r.Balance,
			Meaning: "totals that must be equal in each source, e.g. debit=credit, or amount=0"},
		{Word: "balance-by", Value: &r.BalanceBy, Columns: option.DataColumns,
			Meaning: "they must be equal within each value of this, too, such as a document's number"},
		{Word: "sequence", Value: &r.Sequence, Columns: option.DataColumns,
			Meaning: "numbers must run without gaps or repeats"},
		{Word: "inside-period", Value: &r.Inside, Columns: option.DataColumns,
			Meaning: "dates that must be in the period of their file"},
		{Word: "required", Value: &r.Required, Columns: option.DataColumns, Meaning: "columns that must not be blank"},
		{Word: "allowed", Value: &r.Allowed, File: option.Read, Path: besideInAllowed,
			Meaning: "columns whose values must be on a list, e.g. account=accounts.csv#code"},
		{Word: "rule", Value: &r.Rules, Whole: true,
			Meaning: "what must hold for each record, e.g. 'amount <= 50000 || approved_by != \"\"'"},
		{Word: "rule-name", Value: &r.RuleNames, Whole: true, Meaning: "what the rules are called, in their order"},
	}
}

// besideUnlessPattern leaves a pattern alone, whose files lie beside their sources.
func besideUnlessPattern(text string, beside func(string) string) string {
	if isBeside(text) {
		return text
	}
	return beside(text)
}

// besideInAllowed resolves the file in 'account=accounts.csv#code'.
func besideInAllowed(text string, beside func(string) string) string {
	column, list, ok := strings.Cut(text, "=")
	file, from, named := strings.Cut(list, "#")
	if !ok || strings.TrimSpace(file) == "" {
		return text
	}
	if file = column + "=" + beside(strings.TrimSpace(file)); named {
		file += "#" + from
	}
	return file
}

// Read reads a request for the sources of a set, and the files that it names, which are left
// out of the sources. decimal is the mark of their amounts in case that they do not tell
// themselves, 0 for the point. An error is an *option.Error, or says what is wrong in a file.
func (r *Request) Read(ctx context.Context, set *source.Set, reading source.Reading, decimal byte) (Options, error) {
	q := &requestReader{Request: r, set: set, reading: reading, decimal: decimal}
	q.options = Options{Totals: r.Totals, HashTotals: r.HashTotals, Distinct: r.Distinct,
		ToleranceRows: r.ToleranceRows}
	for _, read := range []func(context.Context) error{
		q.columns, q.tolerance, q.labels, q.declared, q.covers, q.roster, q.periods, q.needWords, q.balance,
		q.perRecord, q.allowed, q.rules,
	} {
		if err := read(ctx); err != nil {
			return q.options, err
		}
	}
	return q.options, nil
}

// requestReader reads a request, one thing after another.
type requestReader struct {
	*Request
	set     *source.Set
	reading source.Reading
	decimal byte
	options Options
}

// table reads a file beside the sources, with the names for its columns that an option gives.
func (q *requestReader) table(ctx context.Context, path, word string, texts []string) (*source.Table, error) {
	table, err := q.set.ReadBeside(ctx, path, q.reading, q.decimal)
	if err != nil {
		return nil, err
	}
	renames, err := shape.ParseRenames(texts)
	if err == nil {
		err = table.Rename(renames)
	}
	if err != nil {
		return nil, option.Errorf(word, "%w", err)
	}
	return table, nil
}

func (q *requestReader) check(check Check) { q.options.Checks = append(q.options.Checks, check) }

func (q *requestReader) columns(context.Context) error { return q.Options().Distinct() }

func (q *requestReader) tolerance(context.Context) error {
	q.options.Tolerance = make(map[string]amount.Amount)
	for _, text := range q.Tolerance {
		column, within, ok := option.Pair(text)
		value, err := amount.Parse([]byte(within), '.')
		if !ok || err != nil || value.Sign() < 0 {
			return option.Errorf("tolerance", "%q is not of the form debit=0.05", text)
		}
		q.options.Tolerance[column] = value
	}
	return nil
}

func (q *requestReader) labels(context.Context) error {
	for _, text := range q.DeclaredLabels {
		label, figure, ok := option.Pair(text)
		if !ok {
			return option.Errorf("declared-label", "%q is not of the form 'Number of lines=rows'", text)
		}
		q.options.Labels = append(q.options.Labels, Label{Text: label, Figure: figure})
	}
	if len(q.DeclaredLabels) > 0 && !isBeside(q.Declared) && !q.hasCovers() {
		return option.Errorf("declared-label",
			"it says what a covering sheet or a file beside a source calls its figures; "+
				"add ⟨declared-sheet⟩ NAME, or ⟨declared⟩ '{source}.ctl'")
	}
	return nil
}

// hasCovers tells whether any source may have a covering sheet.
func (q *requestReader) hasCovers() bool {
	for i := range q.set.Sources {
		if q.set.CoverName(i) != "" {
			return true
		}
	}
	return len(q.set.Sources) == 0
}

func (q *requestReader) declared(ctx context.Context) (err error) {
	switch {
	case len(q.DeclaredRename) > 0 && (isBeside(q.Declared) || q.Declared == ""):
		return option.Errorf("declared-rename",
			"it speaks of the columns of a control sheet, and ⟨declared⟩ names none; "+
				"for figures beside or in a source there is ⟨declared-label⟩")
	case isBeside(q.Declared):
		return q.besideSources()
	case q.Declared != "":
		q.options.Declared, err = q.table(ctx, q.Declared, "declared-rename", q.DeclaredRename)
		q.set.LeaveOut("the control sheet", q.Declared)
	}
	return err
}

func (q *requestReader) roster(ctx context.Context) error {
	if q.Roster == "" {
		return nil
	}
	table, err := q.table(ctx, q.Roster, "roster-rename", q.RosterRename)
	if err != nil {
		return err
	}
	q.set.LeaveOut("the roster", q.Roster)
	if q.options.Roster, err = ReadRoster(table); err != nil {
		return option.Errorf("roster", "%w", err)
	}
	q.set.Prefer(entityColumn, q.options.Roster.Names())
	return nil
}

func (q *requestReader) periods(context.Context) error {
	for _, text := range q.Periods {
		periods, err := period.ParseRange(text)
		if err != nil {
			return option.Errorf("periods", "%w", err)
		}
		for _, p := range periods {
			if !slices.Contains(q.options.Periods, p) {
				q.options.Periods = append(q.options.Periods, p)
			}
		}
	}
	return nil
}

// needWords wants the words of file names that the checks need.
func (q *requestReader) needWords(context.Context) error {
	const example = "add ⟨name⟩, for example ⟨name⟩ '{entity}_{period}*'"
	words := q.set.Words()
	entity, period := slices.Contains(words, entityColumn), slices.Contains(words, periodColumn)
	switch {
	case q.Roster != "" && !entity:
		return option.Errorf("roster", "the files' names have to tell the entity: "+example)
	case len(q.Periods) > 0 && !(entity && period):
		return option.Errorf("periods", "the files' names have to tell the entity and the period: "+example)
	case q.Inside != "" && !period:
		return option.Errorf("inside-period", "the files' names have to tell the period: "+example)
	}
	return nil
}

func (q *requestReader) balance(context.Context) error {
	if q.BalanceBy != "" && len(q.Balance) == 0 {
		return option.Wrong("balance-by", q.BalanceBy, "it says within what ⟨balance⟩ must hold, which is missing; "+
			"add for example ⟨balance⟩ debit=credit")
	}
	for _, text := range q.Balance {
		left, right, ok := option.Pair(text)
		if !ok {
			return option.Errorf("balance", "%q is not of the form debit=credit, or amount=0", text)
		}
		q.check(&Balance{Left: left, Right: right, By: q.BalanceBy})
	}
	return nil
}

// perRecord reads the checks that look at one column of each record.
func (q *requestReader) perRecord(context.Context) error {
	for _, column := range q.Sequence {
		q.check(&Sequence{Column: column})
	}
	if q.Inside != "" {
		q.check(&InsidePeriod{Column: q.Inside})
	}
	if len(q.Required) > 0 {
		q.check(&Required{Names: q.Required})
	}
	return nil
}

func (q *requestReader) allowed(ctx context.Context) error {
	for _, text := range q.Allowed {
		check, err := q.readAllowed(ctx, text)
		if err != nil {
			return option.Errorf("allowed", "%w", err)
		}
		q.check(check)
	}
	return nil
}

// readAllowed reads column=FILE#column; the column of the file may be left out where it bears
// the same name.
func (q *requestReader) readAllowed(ctx context.Context, text string) (*Allowed, error) {
	column, list, ok := option.Pair(text)
	if !ok {
		return nil, fmt.Errorf("%q is not of the form account=accounts.csv#code", text)
	}
	file, from, named := strings.Cut(list, "#")
	if !named {
		from = column
	}
	table, err := q.table(ctx, file, "allowed", nil)
	if err != nil {
		return nil, err
	}
	q.set.LeaveOut("a list of what is allowed", file)
	at, ok := table.Layout.Find(from)
	if !ok {
		return nil, fmt.Errorf("%s has no column %q; there is: %s", file, from,
			strings.Join(table.Layout.Columns, ", "))
	}
	allowed := &Allowed{Column: column, List: file}
	for _, row := range table.Rows {
		allowed.Values = append(allowed.Values, strings.TrimSpace(row[at]))
	}
	return allowed, nil
}

func (q *requestReader) rules(context.Context) error {
	if len(q.RuleNames) > len(q.Rules) {
		last := q.RuleNames[len(q.RuleNames)-1]
		return option.Wrong("rule-name", fmt.Sprintf("%q", last), "there are %d names for %d rules", len(q.RuleNames),
			len(q.Rules))
	}
	for i, text := range q.Rules {
		x, err := expression.ParseCondition(text, "debit <= 50000")
		if err != nil {
			return option.Errorf("rule", "%w", err)
		}
		name := strings.TrimSpace(text)
		if i < len(q.RuleNames) && q.RuleNames[i] != "" {
			name = q.RuleNames[i]
		}
		q.check(&Rule{Name: name, Expression: x, Words: append(slices.Clone(q.set.Words()), record.SourceColumn)})
	}
	return nil
}
