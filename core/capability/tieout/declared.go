package tieout

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
	"lastblock/core/value/words"
)

// DeclarationError is a declaration that cannot be used.
type DeclarationError struct {
	Sheet string
	Line  int // 0: the sheet as a whole
	Text  string
}

func (e *DeclarationError) Error() string {
	if e.Line > 0 {
		return fmt.Sprintf("%s line %d: %s", e.Sheet, e.Line, e.Text)
	}
	return e.Sheet + ": " + e.Text
}

// columns of a control sheet beside the totals.
const (
	sourceColumn = "source"
	entityColumn = "entity"
	periodColumn = "period"
	rowsColumn   = "rows"
)

// What stands before a column's name where its hash total, or the number of its
// different values, is declared.
const (
	hashPrefix     = "hash_"
	distinctPrefix = "distinct_"
)

// declare compares what was counted with all that was declared, and adds to the
// tally's findings. It returns all figures that were declared, in the order of the sources.
func (r *run) declare(rows []Row, f *figures) ([]Declared, error) {
	c := comparison{run: r, figures: f, rows: make(map[int]*Row), declared: make(map[int]bool)}
	rows = slices.DeleteFunc(slices.Clone(rows), func(row Row) bool { return r.isGone(row.Index) })
	for i := range rows {
		c.rows[rows[i].Index] = &rows[i]
	}
	if sheet := r.options.Declared; sheet != nil {
		if err := c.sheet(sheet); err != nil {
			return nil, err
		}
	}
	at := make(map[string]int)
	for i := range r.set.Sources {
		at[r.set.Sources[i].Name] = i
	}
	for _, cover := range r.options.Covers {
		if err := c.cover(at[cover.Source], cover.Grid); err != nil {
			return nil, err
		}
	}
	for i := range rows {
		if trailer := r.tally.Sources[rows[i].Index].Trailer; trailer != nil {
			if err := c.trailer(rows[i].Index, trailer); err != nil {
				return nil, err
			}
		}
	}
	for _, stray := range r.options.Strays {
		if r.options.Partial {
			break
		}
		r.tally.Findings.Add(finding.Finding{
			Kind: finding.NoSource, Source: stray, Order: finding.End,
			Message: "declares a source that is not here; ask the branch for the file",
		})
	}
	if how := r.howDeclared(); how != "" {
		for i := range rows {
			if !c.declared[rows[i].Index] {
				f := r.about(finding.NoDeclaration, rows[i].Index)
				f.Message = how + ", so it cannot be tied out"
				r.tally.Findings.Add(f)
			}
		}
	}
	slices.SortStableFunc(c.all, func(a, b Declared) int { return cmp.Compare(a.Index, b.Index) })
	return c.all, nil
}

// howDeclared says in which way a source that is not declared should have been,
// "" where nothing is declared at all.
func (r *run) howDeclared() string {
	switch o := r.options; {
	case o.Declared != nil:
		return o.Declared.Name + " does not declare this source"
	case o.CoveredBy != "":
		return "there is no " + o.CoveredBy + " that declares this source"
	case len(r.set.Trailers()) > 0:
		return fmt.Sprintf("no line at its end has the form %q", r.set.Trailers()[0].String())
	}
	return ""
}

// decimalOf is the decimal mark of a source's amounts.
func (r *run) decimalOf(index int) byte {
	if mark := r.tally.Sources[index].Decimal; mark != 0 {
		return mark
	}
	return '.'
}

type comparison struct {
	run      *run
	figures  *figures
	rows     map[int]*Row
	declared map[int]bool // sources that are
	all      []Declared
}

// declaration is what was declared of one source.
type declaration struct {
	by      string // the sheet or file, for errors
	line    int
	where   string // behind a message; "" where that is clear
	decimal byte
	figure  func(word string) string // "" for what is not declared
}

// isLater tells whether a line of a control sheet is about a source that was passed over since it is of a
// later period.
func (c *comparison) isLater(s *controlSheet, row int) bool {
	until := c.run.options.Until
	if until == nil {
		return false
	}
	if p, ok := period.Parse(s.Value(row, periodColumn)); ok {
		return p.Last() > until.Last()
	}
	named := s.Value(row, sourceColumn)
	return slices.ContainsFunc(c.run.set.PassedOver, func(p source.PassedOver) bool {
		return named == p.Source || named == source.Stem(p.Source)
	})
}

// sheet compares with a control sheet, line by line.
func (c *comparison) sheet(sheet *source.Table) error {
	s := controlSheet{Table: sheet, set: c.run.set, isGone: c.run.isGone}
	if err := s.check(); err != nil {
		return err
	}
	before := make(map[int]int) // source → line of the sheet
	keys := s.index()
	for i := range sheet.Rows {
		line := sheet.Lines[i]
		key, label := s.key(i)
		index, here := keys[key]
		if files := s.ambiguous[key]; len(files) > 0 {
			c.run.tally.Findings.Add(finding.Finding{
				Kind: finding.NoSource, Source: label, Order: finding.End, Line: line,
				Message: fmt.Sprintf("declared on line %d of %s, and more than one source is called so: %s; exclude "+
					"the one that is superseded", line, sheet.Name, listed(files, len(files))),
			})
			continue
		}
		if !here && (c.run.options.Partial || c.isLater(&s, i)) {
			continue
		}
		if !here {
			c.run.tally.Findings.Add(finding.Finding{
				Kind: finding.NoSource, Source: label, Order: finding.End, Line: line,
				Message: fmt.Sprintf("declared on line %d of %s, and not here; ask the branch for the file", line,
					sheet.Name),
			})
			continue
		}
		if at, twice := before[index]; twice {
			f := c.run.about(finding.DeclaredTwice, index)
			f.Line, f.Message = line, fmt.Sprintf("lines %d and %d of %s both declare this source", at, line,
				sheet.Name)
			c.run.tally.Findings.Add(f)
		}
		before[index] = line
		err := c.compare(index, declaration{sheet.Name, line, "", s.decimal(), func(word string) string {
			return s.figure(i, word, &c.run.tally.Sources[index])
		}})
		if err != nil {
			return err
		}
	}
	return c.notCompared(sheet)
}

// notCompared tells of columns of figures that are the name of nothing.
func (c *comparison) notCompared(sheet *source.Table) error {
	for _, word := range figureColumns(sheet) {
		column := strings.TrimPrefix(strings.TrimPrefix(word, hashPrefix), distinctPrefix)
		if c.run.tally.Has(column) || c.run.tally.Has(word) || slices.Contains(c.run.set.Words(), word) {
			continue
		}
		c.run.tally.Findings.Add(finding.Finding{
			Kind: finding.NotCompared, Source: sheet.Name, Order: finding.End, Column: word,
			Message: fmt.Sprintf("no source has a column %q, so what is declared there is compared with nothing",
				column),
		})
	}
	return nil
}

// figureColumns are the columns of a control sheet that declare totals: those
// with nothing but amounts.
func figureColumns(sheet *source.Table) []string {
	var columns []string
	decimal := controlSheet{Table: sheet}.decimal()
	for at, name := range sheet.Layout.Columns {
		if slices.Contains([]string{sourceColumn, entityColumn, periodColumn, rowsColumn}, name) {
			continue
		}
		filled := false
		proper := !slices.ContainsFunc(sheet.Rows, func(row []string) bool {
			blank := strings.TrimSpace(row[at]) == ""
			filled = filled || !blank
			return !blank && !isFigure(row[at], decimal)
		})
		if filled && proper {
			columns = append(columns, name)
		}
	}
	return columns
}

// cover compares with a sheet that declares one source.
func (c *comparison) cover(index int, sheet *source.Grid) error {
	decimal := sheet.Decimal
	if decimal == 0 {
		decimal = c.run.decimalOf(index)
	}
	found := figuresOn(sheet, c.run.options.Labels, decimal)
	line := 0
	if len(sheet.Lines) > 0 {
		line = sheet.Lines[0]
	}
	for _, f := range found {
		line = max(line, f.line)
	}
	for _, label := range c.run.options.Labels {
		if _, ok := found[label.Figure]; !ok {
			return &DeclarationError{sheet.Name, 0, fmt.Sprintf("no figure stands beside or below %q", label.Text)}
		}
	}
	return c.compare(index, declaration{sheet.Name, line, "; declared in " + sheet.Name, decimal,
		func(word string) string {
			return found[word].text
		}})
}

// trailer compares with the line at the end of a source.
func (c *comparison) trailer(index int, trailer *source.Trailer) error {
	where := fmt.Sprintf("; declared on line %d", trailer.Line)
	return c.compare(index, declaration{c.run.set.Sources[index].Name, trailer.Line, where, c.run.decimalOf(index),
		func(word string) string {
			return trailer.Figures[word]
		}})
}

// compare compares what is declared of a source with what was counted.
func (c *comparison) compare(index int, d declaration) error {
	counted := c.rows[index]
	if counted == nil {
		return nil
	}
	c.declared[index] = true
	if err := c.compareRows(counted, &d); err != nil {
		return err
	}
	for k, column := range c.figures.totals {
		if c.figures.skip[k] {
			continue
		}
		found := c.run.tally.Sources[index].Whole(k)
		if err := c.compareAmount(counted, &d, finding.ControlTotal, column, column, found); err != nil {
			return err
		}
	}
	for k, column := range c.figures.hashes.names {
		if column == "" {
			continue
		}
		if err := c.compareAmount(counted, &d, finding.HashTotal, hashPrefix+column, column,
			counted.HashTotals[k]); err != nil {
			return err
		}
	}
	for k, column := range c.figures.distinct.names {
		if column == "" {
			continue
		}
		if err := c.compareAmount(counted, &d, finding.DistinctCount, distinctPrefix+column, column,
			amount.New(int64(counted.Distinct[k]), 0)); err != nil {
			return err
		}
	}
	return nil
}

// withoutMarks takes the marks between thousands out of a number of rows.
var withoutMarks = strings.NewReplacer(",", "", " ", "", ".", "", "'", "")

func (c *comparison) compareRows(counted *Row, d *declaration) error {
	text := strings.TrimSpace(d.figure(rowsColumn))
	if text == "" {
		return nil
	}
	declared, err := strconv.Atoi(withoutMarks.Replace(text))
	if err != nil {
		return &DeclarationError{d.by, d.line, fmt.Sprintf("rows is %q, which is no whole number", text)}
	}
	arrived := counted.Rows - counted.Left
	c.all = append(c.all, Declared{counted.Index, rowsColumn, amount.New(int64(declared), 0),
		amount.New(int64(arrived), 0)})
	off := arrived - declared
	if max(off, -off) <= c.run.options.ToleranceRows {
		return nil
	}
	f := c.run.about(finding.RowCount, counted.Index)
	f.Expected, f.Found, f.Difference = strconv.Itoa(declared), strconv.Itoa(arrived), strconv.Itoa(off)
	f.Message = fmt.Sprintf("declared %s, %d arrived: %s%s", words.Count(int(declared), "row"), arrived,
		missingOrExtra(off), d.where)
	c.run.tally.Findings.Add(f)
	return nil
}

func (c *comparison) compareAmount(counted *Row, d *declaration, kind finding.Kind, word, column string,
	found amount.Amount) error {
	text := strings.TrimSpace(d.figure(word))
	if text == "" {
		return nil
	}
	declared, err := amount.Parse([]byte(text), d.decimal)
	if err != nil {
		return &DeclarationError{d.by, d.line, fmt.Sprintf("%s is %q, which is no amount", word, text)}
	}
	c.all = append(c.all, Declared{counted.Index, word, declared, found})
	off := found.Sub(declared)
	if off.Sign() == 0 {
		return nil
	}
	if within, ok := c.run.options.Tolerance[column]; ok && kind == finding.ControlTotal && within.Cmp(off) >= 0 &&
		within.Cmp(off.Neg()) >= 0 {
		return nil
	}
	f := c.run.about(kind, counted.Index)
	f.Column = column
	f.Expected, f.Found, f.Difference = declared.String(), found.String(), off.String()
	switch kind {
	case finding.HashTotal:
		f.Message = fmt.Sprintf("declared a hash total of %s, found %s, difference %s", declared, found, off)
	case finding.DistinctCount:
		f.Message = fmt.Sprintf("different values: declared %s, found %s, difference %s", declared, found, off)
	default:
		f.Message = totalMessage(declared, found, off, counted.Suspense)
	}
	f.Message += d.where
	c.run.tally.Findings.Add(f)
	return nil
}

// controlSheet is a control sheet for all sources.
type controlSheet struct {
	*source.Table
	set    *source.Set
	isGone func(index int) bool

	ambiguous map[string][]string // sources by a key that several of them have; see index
}

// decimal is the mark of the sheet's amounts.
func (c controlSheet) decimal() byte {
	if c.Decimal == 0 {
		return '.'
	}
	return c.Decimal
}

func (c controlSheet) bySource() bool { return c.Has(sourceColumn) }

func (c controlSheet) check() error {
	if c.bySource() {
		return nil
	}
	if !c.Has(entityColumn) {
		return &DeclarationError{Sheet: c.Name, Text: fmt.Sprintf(
			"a control sheet needs the column %q, or %q and %q; there is: %s",
			sourceColumn, entityColumn, periodColumn, strings.Join(c.Layout.Columns, ", "))}
	}
	for _, word := range []string{entityColumn, periodColumn} {
		if c.Has(word) && !slices.Contains(c.set.Words(), word) {
			return &DeclarationError{Sheet: c.Name, Text: fmt.Sprintf(
				"it declares by %s, which the files' names have to tell: add ⟨name⟩, for example ⟨name⟩ "+
					"'{entity}_{period}*'", word)}
		}
	}
	return nil
}

// index maps what a line of the sheet may call a source to the source. Where
// two sources would be called the same, neither is meant.
func (c *controlSheet) index() map[string]int {
	keys := make(map[string]int)
	c.ambiguous = make(map[string][]string)
	add := func(key string, index int) {
		if other, ok := keys[key]; ok && other != index {
			if c.ambiguous[key] == nil {
				c.ambiguous[key] = []string{c.set.Sources[other].Name}
			}
			c.ambiguous[key] = append(c.ambiguous[key], c.set.Sources[index].Name)
		}
		keys[key] = index
	}
	for index := range c.set.Sources {
		if c.set.IsPassedOver(index) || c.isGone(index) {
			continue
		}
		if c.Has(entityColumn) {
			add(c.words(c.set.Word(index, entityColumn), c.set.Word(index, periodColumn)), index)
		}
		if !c.bySource() {
			continue
		}
		name := c.set.Sources[index].Name
		base := path.Base(name)
		for _, key := range []string{name, source.Stem(name), base, source.Stem(base)} {
			add(key, index)
		}
	}
	for key := range c.ambiguous {
		delete(keys, key)
	}
	return keys
}

// words makes the key of an entity and a period, of which the sheet may leave
// out the period.
func (c controlSheet) words(entity, period string) string {
	if !c.Has(periodColumn) {
		period = ""
	}
	return spelling.Of(entityColumn, entity) + "\x00" + spelling.Of(periodColumn, period)
}

// key is what a line of the sheet calls a source, and how a message calls it: by
// its file, or where that is blank by entity and period.
func (c controlSheet) key(row int) (key, label string) {
	if name := strings.TrimSpace(c.Value(row, sourceColumn)); name != "" {
		return name, name
	}
	entity := strings.TrimSpace(c.Value(row, entityColumn))
	period := strings.TrimSpace(c.Value(row, periodColumn))
	return c.words(entity, period), strings.TrimSpace(entity + " " + period)
}

// figure finds a declared figure under its name, or where a total was called by
// position under the name of the column there.
func (c controlSheet) figure(row int, word string, counted *tally.Source) string {
	if c.Has(word) || counted.Head == nil {
		return c.Value(row, word)
	}
	layout := counted.Head.Layout
	if at, ok := layout.Find(word); ok && c.Has(layout.Columns[at]) {
		return c.Value(row, layout.Columns[at])
	}
	return ""
}

func missingOrExtra(difference int) string {
	if difference < 0 {
		return fmt.Sprintf("%d missing", -difference)
	}
	return fmt.Sprintf("%d too many", difference)
}

func totalMessage(declared, found, difference amount.Amount, inSuspense int) string {
	text := fmt.Sprintf("declared %s, found %s, difference %s", declared.Money(), found.Money(), difference.Money())
	switch {
	case inSuspense > 0:
		text += fmt.Sprintf("; %s in suspense may be the reason", words.Count(inSuspense, "record"))
	case declared.Sign() != 0 && found.Sign() != 0 && difference.DivisibleByNine():
		text += "; the difference is a multiple of nine, probably two digits transposed"
	}
	return text
}
