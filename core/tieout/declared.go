package tieout

import (
	"fmt"
	"path"
	"strconv"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
)

// DeclarationError is a control sheet that cannot be used.
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

// compare compares what was counted with the control sheet, line by line, and
// adds to the tally's findings.
func compare(set *source.Set, rows []Row, t *tally.Tally, options Options) error {
	c := comparison{set: set, tally: t, options: options, sheet: options.Declared, rows: make(map[int]*Row)}
	if err := c.checkSheet(); err != nil {
		return err
	}
	for i := range rows {
		c.rows[rows[i].Index] = &rows[i]
	}
	declaredBy := make(map[int]int) // source → line of the sheet
	keys := c.index()
	for i := range c.sheet.Rows {
		line := c.sheet.Lines[i]
		key, label := c.key(i)
		index, here := keys[key]
		if !here {
			t.Findings.Add(finding.Finding{
				Kind: finding.NoSource, Source: label, Order: finding.End, Line: line,
				Message: fmt.Sprintf("declared on line %d of %s, and not here; ask the branch for the file", line, c.sheet.Name),
			})
			continue
		}
		if before, twice := declaredBy[index]; twice {
			t.Findings.Add(finding.Finding{
				Kind: finding.DeclaredTwice, Source: set.Sources[index].Name, Order: index, Line: line,
				Message: fmt.Sprintf("lines %d and %d of %s both declare this source", before, line, c.sheet.Name),
			})
		}
		declaredBy[index] = line
		if err := c.line(i, c.rows[index]); err != nil {
			return err
		}
	}
	for i := range rows {
		index := rows[i].Index
		if _, ok := declaredBy[index]; !ok {
			t.Findings.Add(finding.Finding{
				Kind: finding.NoDeclaration, Source: set.Sources[index].Name, Order: index,
				Message: fmt.Sprintf("%s does not declare this source, so it cannot be tied out", c.sheet.Name),
			})
		}
	}
	return nil
}

type comparison struct {
	set     *source.Set
	tally   *tally.Tally
	options Options
	sheet   *source.Table
	rows    map[int]*Row
}

// decimal is the mark of the sheet's amounts.
func (c *comparison) decimal() byte {
	if c.sheet.Decimal == 0 {
		return '.'
	}
	return c.sheet.Decimal
}

func (c *comparison) bySource() bool { return c.sheet.Has(sourceColumn) }

func (c *comparison) checkSheet() error {
	if c.bySource() {
		return nil
	}
	if !c.sheet.Has(entityColumn) {
		return &DeclarationError{Sheet: c.sheet.Name, Text: fmt.Sprintf(
			"a control sheet needs the column %q, or %q and %q; there is: %s",
			sourceColumn, entityColumn, periodColumn, strings.Join(c.sheet.Layout.Columns, ", "))}
	}
	for _, word := range []string{entityColumn, periodColumn} {
		known := false
		for _, w := range c.set.Words() {
			known = known || w == word
		}
		if c.sheet.Has(word) && !known {
			return &DeclarationError{Sheet: c.sheet.Name, Text: fmt.Sprintf(
				"it declares by %s, which the files' names have to tell: add --name, for example --name '{entity}_{period}*'", word)}
		}
	}
	return nil
}

// index maps what a line of the sheet may call a source to the source. Where
// two sources would be called the same, neither is meant.
func (c *comparison) index() map[string]int {
	keys := make(map[string]int)
	ambiguous := make(map[string]bool)
	add := func(key string, index int) {
		if other, ok := keys[key]; ok && other != index {
			ambiguous[key] = true
		}
		keys[key] = index
	}
	for index := range c.set.Sources {
		if c.set.IsOwn(index) {
			continue
		}
		if c.sheet.Has(entityColumn) {
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
	for key := range ambiguous {
		delete(keys, key)
	}
	return keys
}

// words makes the key of an entity and a period, of which the sheet may leave
// out the period.
func (c *comparison) words(entity, period string) string {
	if !c.sheet.Has(periodColumn) {
		period = ""
	}
	return entity + "\x00" + period
}

// key is what a line of the sheet calls a source, and how a message calls it: by
// its file, or where that is blank by entity and period.
func (c *comparison) key(row int) (key, label string) {
	if name := strings.TrimSpace(c.sheet.Value(row, sourceColumn)); name != "" {
		return name, name
	}
	entity := strings.TrimSpace(c.sheet.Value(row, entityColumn))
	period := strings.TrimSpace(c.sheet.Value(row, periodColumn))
	return c.words(entity, period), strings.TrimSpace(entity + " " + period)
}

// line compares one line of the sheet with its source. What is left blank is
// not declared.
func (c *comparison) line(i int, counted *Row) error {
	src := &c.set.Sources[counted.Index]
	if text := strings.TrimSpace(c.sheet.Value(i, rowsColumn)); text != "" {
		declared, err := strconv.Atoi(strings.NewReplacer(",", "", " ", "", ".", "").Replace(text))
		if err != nil {
			return &DeclarationError{c.sheet.Name, c.sheet.Lines[i], fmt.Sprintf("rows is %q, which is no whole number", text)}
		}
		if declared != counted.Rows {
			c.tally.Findings.Add(finding.Finding{
				Kind: finding.RowCount, Source: src.Name, Order: counted.Index,
				Expected: strconv.Itoa(declared), Found: strconv.Itoa(counted.Rows), Difference: strconv.Itoa(counted.Rows - declared),
				Message: fmt.Sprintf("declared %d rows, %d arrived: %s", declared, counted.Rows, missingOrExtra(counted.Rows-declared)),
			})
		}
	}
	for k, column := range c.options.Totals {
		text := strings.TrimSpace(c.declaredTotal(i, column, counted.Index))
		if text == "" {
			continue
		}
		declared, err := amount.Parse([]byte(text), c.decimal())
		if err != nil {
			return &DeclarationError{c.sheet.Name, c.sheet.Lines[i], fmt.Sprintf("%s is %q, which is no amount", column, text)}
		}
		found := c.tally.Sources[counted.Index].Whole(k)
		if difference := found.Sub(declared); difference.Sign() != 0 {
			c.tally.Findings.Add(finding.Finding{
				Kind: finding.ControlTotal, Source: src.Name, Order: counted.Index, Column: column,
				Expected: declared.String(), Found: found.String(), Difference: difference.String(),
				Message: totalMessage(declared, found, difference, counted.Suspense),
			})
		}
	}
	return nil
}

// declaredTotal finds the declared figure under the total's name, or where the
// total was called by position under the name of the column there.
func (c *comparison) declaredTotal(row int, column string, index int) string {
	if c.sheet.Has(column) {
		return c.sheet.Value(row, column)
	}
	layout := c.tally.Sources[index].Head.Layout
	if at, ok := layout.Find(column); ok && c.sheet.Has(layout.Columns[at]) {
		return c.sheet.Value(row, layout.Columns[at])
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
		text += fmt.Sprintf("; %s in suspense may be the reason", tally.Plural(inSuspense, "record"))
	case difference.DivisibleByNine():
		text += "; the difference is a multiple of nine, so two digits may stand swapped"
	}
	return text
}
