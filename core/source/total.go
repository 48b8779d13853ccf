package source

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"
	"sync"

	"lastblock/core/record"
	"lastblock/core/value/amount"
)

// TotalLine is a line that sums up the records above it and is none itself.
type TotalLine struct {
	Line    int
	Word    string   // by which it was known
	Columns []string // in which it agrees with the records
}

// DoubtfulTotal is a line that begins like a total line and does not agree with the
// records above it: either its figures are off, or it is a record.
type DoubtfulTotal struct {
	Line int
	Word string
	Off  []Off // nil where it could not be checked, in what comes from a pipe
}

// Off is what a total line says of a column, and what the records above it come to.
type Off struct {
	Column        string
	Stated, Found amount.Amount
}

// What results of ours say below their total, or behind their records, so that it is known again and
// is no record where a result is read.
const (
	SuspenseLabel = "Total in suspense"
	VerdictLabel  = "tie-out:" // begins a line of which nothing else is filled
)

// isOurs tells whether a line is one of these, by its first text; alone says that it has no other.
func isOurs(text string, alone bool) bool {
	return text == SuspenseLabel || alone && strings.HasPrefix(text, VerdictLabel)
}

// totalWords begin a total line, in small letters.
var totalWords = map[string]bool{
	"total": true, "totals": true, "sum": true, "sums": true, "grand": true, "overall": true, "subtotal": true,
	"tie-out": true, "summe": true, "gesamt": true, "gesamtsumme": true, "somme": true, "totaal": true, "totale": true,
}

// besideTotal may stand beside such a word without making it the name of something.
var besideTotal = map[string]bool{"amount": true, "amounts": true, "general": true, "of": true, "all": true,
	"for": true, "records": true}

// totalInitials are the letters with which these words begin.
var totalInitials = [256]bool{'t': true, 's': true, 'g': true, 'o': true, 'T': true, 'S': true, 'G': true, 'O': true}

// mayBegin are these and what may stand before them.
var mayBegin = func() [256]bool {
	all := totalInitials
	for _, c := range "\" *=" {
		all[c] = true
	}
	return all
}()

// totalCandidate is a line that may be a total line: its first text is such a word, and
// nothing but amounts follows.
type totalCandidate struct {
	line    int
	refused int // index among Refused, -1 for a record
	row     int
	word    string
	isName  bool // other words stand beside it
	isOurs  bool // a result of ours says it below its total
	columns []int
	stated  []amount.Amount

	found []amount.Amount // what the records above come to
	below bool            // records with such amounts follow
}

// totalReader looks for total lines among the records of a source.
type totalReader struct {
	columns   []string
	delimiter byte
	decimal   byte
	scratch   []byte
	texts     []string
}

// candidates are the lines of a batch that may be total lines, in their order.
func (r *totalReader) candidates(b *record.Batch) []totalCandidate {
	var all []totalCandidate
	for row := range b.Rows {
		if !mayBeTotal(b, row) {
			continue
		}
		r.texts = r.texts[:0]
		for column := range b.Width {
			r.texts = append(r.texts, string(b.Text(row, column, &r.scratch)))
		}
		if c, ok := r.candidate(r.texts); ok {
			c.line, c.row, c.refused = b.Line(row), row, -1
			all = append(all, c)
		}
	}
	for i := range b.Refused {
		refusal := &b.Refused[i]
		if refusal.Reason != record.FieldCount || refusal.Fields > len(r.columns) || r.delimiter == 0 {
			continue
		}
		if c, ok := r.candidate(refusedTexts(refusal, r.delimiter)); ok {
			c.line, c.refused = refusal.Line, i
			all = append(all, c)
		}
	}
	slices.SortStableFunc(all, func(a, b totalCandidate) int { return a.line - b.line })
	return all
}

// hasWords tells whether any line of a batch begins with a word of total lines.
func (r *totalReader) hasWords(b *record.Batch) bool {
	bounds, stride := b.Bounds, b.Stride()
	for row := range b.Rows {
		if i := row * stride; b.Width > 0 && bounds[i]+1 < bounds[i+1] && !mayBegin[b.Data[bounds[i]+1]] ||
			!mayBeTotal(b, row) {
			continue
		}
		for column := range b.Width {
			if text := bytes.TrimSpace(b.Text(row, column, &r.scratch)); len(text) > 0 {
				if isTotalWord(text) {
					return true
				}
				break
			}
		}
	}
	return len(b.Refused) > 0 && slices.ContainsFunc(b.Refused,
		func(refusal record.Refusal) bool { return refusal.Reason == record.FieldCount })
}

// IsTotalWord tells whether a text begins with a word by which lines that sum up others are called.
func IsTotalWord(text string) bool { return isTotalWord([]byte(text)) }

// isTotalWord tells whether a text begins with a word of total lines.
func isTotalWord(text []byte) bool {
	const longest = len("gesamtsumme") + 2
	end := bytes.IndexAny(text, " \t")
	if end < 0 {
		end = len(text)
	}
	return end <= longest && totalWords[strings.Trim(strings.ToLower(string(text[:end])), ":=*.")]
}

// mayBeTotal tells quickly of nearly all records that they are no total line.
func mayBeTotal(b *record.Batch, row int) bool {
	for column := range b.Width {
		field := b.Field(row, column)
		if len(field) == 0 {
			continue
		}
		return mayBegin[field[0]]
	}
	return false
}

// refusedTexts are the fields of a line that is no record.
func refusedTexts(refusal *record.Refusal, delimiter byte) []string {
	reader := csv.NewReader(strings.NewReader(string(refusal.Raw)))
	reader.Comma, reader.LazyQuotes = rune(delimiter), true
	texts, _ := reader.Read() // what cannot be read is nothing that anybody looks for
	return texts
}

// candidate reads the fields of a line.
func (r *totalReader) candidate(texts []string) (c totalCandidate, ok bool) {
	for i, text := range texts {
		text = strings.TrimSpace(text)
		switch {
		case text == "" || i >= len(r.columns):
		case c.word == "":
			words := strings.Fields(strings.ToLower(text))
			for k, word := range words {
				word = strings.Trim(word, ":=*.")
				if k == 0 && !totalWords[word] {
					return c, false
				}
				c.isName = c.isName || word != "" && !totalWords[word] && !besideTotal[word]
			}
			c.word = text
		default:
			value, err := amount.Parse([]byte(text), r.decimal)
			if err != nil {
				return c, false
			}
			c.columns, c.stated = append(c.columns, i), append(c.stated, value)
		}
	}
	c.isOurs = isOurs(c.word, len(c.columns) == 0)
	return c, c.isOurs || c.word != "" && len(c.columns) > 0
}

// totalVerdict says what a line is: one of the two.
type totalVerdict struct {
	total    *TotalLine
	doubtful *DoubtfulTotal
}

// totalPass goes through all records of a source, in their order, and finds out which
// of the candidates are total lines. One is, wherever it stands, if each of its amounts
// is what the records above it come to: all of them, those since the total line before,
// or all but lines that are in doubt themselves. One that is not, and that is the last
// line with such amounts, or says nothing but that it is a total, is in doubt; any other
// is a record.
type totalPass struct {
	totalReader
	sums    [3][]amount.Sum // by column: of all records, since the last total line, without lines in doubt
	records int
	pending []totalCandidate
	found   map[int]totalVerdict // by line
}

func newTotalPass(r totalReader) *totalPass {
	p := &totalPass{totalReader: r, found: make(map[int]totalVerdict)}
	for i := range p.sums {
		p.sums[i] = make([]amount.Sum, len(r.columns))
	}
	return p
}

// add takes a batch in.
func (p *totalPass) add(b *record.Batch) {
	candidates := p.candidates(b)
	for row := range b.Rows {
		for len(candidates) > 0 && candidates[0].refused >= 0 && candidates[0].line < b.Line(row) {
			p.settle(&candidates[0])
			candidates = candidates[1:]
		}
		isCandidate := len(candidates) > 0 && candidates[0].refused < 0 && candidates[0].row == row
		isTotal := isCandidate && p.settle(&candidates[0])
		if isCandidate {
			candidates = candidates[1:]
		}
		if !isTotal {
			p.count(b, row, isCandidate)
		}
	}
	for i := range candidates {
		p.settle(&candidates[i])
	}
}

// count adds the amounts of a record.
func (p *totalPass) count(b *record.Batch, row int, isCandidate bool) {
	p.records++
	for column := range min(b.Width, len(p.columns)) {
		text := b.Text(row, column, &p.scratch)
		if len(text) == 0 || totalInitials[text[0]] {
			continue
		}
		value, err := amount.Parse(text, p.decimal)
		if err != nil {
			continue
		}
		p.sums[0][column].Add(value)
		p.sums[1][column].Add(value)
		if !isCandidate {
			p.sums[2][column].Add(value)
		}
		for i := range p.pending {
			c := &p.pending[i]
			c.below = c.below || c.line != b.Line(row) && slices.Contains(c.columns, column)
		}
	}
}

// settle tells whether a candidate is a total line; if not, it waits for the end.
func (p *totalPass) settle(c *totalCandidate) bool {
	if c.isOurs {
		p.found[c.line] = totalVerdict{total: &TotalLine{Line: c.line, Word: c.word}}
		return true
	}
	for i := range p.sums {
		agrees := p.records > 0
		for k, column := range c.columns {
			found := p.sums[i][column].Amount()
			agrees = agrees && found.Cmp(c.stated[k]) == 0
		}
		if !agrees {
			continue
		}
		line := &TotalLine{Line: c.line, Word: c.word}
		for _, column := range c.columns {
			line.Columns = append(line.Columns, p.columns[column])
		}
		p.found[c.line] = totalVerdict{total: line}
		clear(p.sums[1])
		return true
	}
	for _, column := range c.columns {
		c.found = append(c.found, p.sums[0][column].Amount())
	}
	p.pending = append(p.pending, *c)
	return false
}

// finish settles what waits for the end.
func (p *totalPass) finish() map[int]totalVerdict {
	for i := range p.pending {
		c := &p.pending[i]
		if c.below && c.isName {
			continue // a record
		}
		line := &DoubtfulTotal{Line: c.line, Word: c.word}
		for k, column := range c.columns {
			if c.found[k].Cmp(c.stated[k]) != 0 {
				line.Off = append(line.Off, Off{p.columns[column], c.stated[k], c.found[k]})
			}
		}
		p.found[c.line] = totalVerdict{doubtful: line}
	}
	return p.found
}

// totals are the total lines of one source, found once.
type totals struct {
	once  sync.Once
	found map[int]totalVerdict
	err   error
}

// allTotals are those of all sources in which a line may be one.
type allTotals struct {
	mutex sync.Mutex
	of    map[int]*totals // by source
}

func (a *allTotals) source(index int) *totals {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	t := a.of[index]
	if t == nil {
		t = new(totals)
		a.of[index] = t
	}
	return t
}

// takeTotals takes the total lines out of a batch, and notes those that are in doubt.
func (w *worker) takeTotals(s *stream, b *record.Batch) error {
	w.batch.Totals, w.batch.Doubtful = w.batch.Totals[:0], w.batch.Doubtful[:0]
	source := &s.feed.set.Sources[s.index]
	if source.manner().NoTotalLine || b.Columnar {
		return nil
	}
	reader := totalReader{columns: s.shape.SentColumns(), delimiter: s.shape.Head.Delimiter, scratch: w.scratch}
	isAny := reader.hasWords(b)
	w.scratch = reader.scratch
	if !isAny {
		return nil
	}
	written, err := w.writtenOf(s)
	if err != nil {
		return err
	}
	reader.decimal = written.Decimal
	candidates := reader.candidates(b)
	if len(candidates) == 0 {
		return nil
	}
	found, err := w.verdicts(s, b, reader)
	if err != nil {
		return err
	}
	for i := len(candidates) - 1; i >= 0; i-- { // from the end, so that the places of the others stay
		c := &candidates[i]
		switch verdict := found[c.line]; {
		case verdict.total != nil:
			w.batch.Totals = append(w.batch.Totals, *verdict.total)
			c.take(b)
		case verdict.doubtful != nil:
			w.batch.Doubtful = append(w.batch.Doubtful, *verdict.doubtful)
		}
	}
	slices.Reverse(w.batch.Totals)
	slices.Reverse(w.batch.Doubtful)
	return nil
}

// verdicts are those of a source. One that is a single batch shows them at once; any
// other is read through for them, the first time that a candidate is met.
func (w *worker) verdicts(s *stream, b *record.Batch, reader totalReader) (map[int]totalVerdict, error) {
	t := s.feed.set.totals.source(s.index)
	t.once.Do(func() {
		pass := newTotalPass(reader)
		source := &s.feed.set.Sources[s.index]
		switch {
		case w.whole:
			pass.add(b)
		case source.Size < 0: // which can be read once
			for _, c := range pass.candidates(b) {
				if c.isOurs {
					pass.settle(&c)
				} else if !c.isName {
					pass.found[c.line] = totalVerdict{doubtful: &DoubtfulTotal{Line: c.line, Word: c.word}}
				}
			}
			t.found = pass.found
			return
		default:
			t.err = s.feed.readThrough(source, func(b *record.Batch) { pass.add(b) })
		}
		t.found = pass.finish()
	})
	return t.found, t.err
}

// readThrough reads a source once more, besides.
func (f *feed) readThrough(s *Source, visit func(b *record.Batch)) error {
	reader, err := f.openReader(s, nil, new(room))
	if err != nil {
		return &Error{s.Name, err}
	}
	defer reader.Close()
	stretch := new(Stretch)
	for {
		err := reader.Next(stretch)
		if errors.Is(err, io.EOF) {
			return s.Unchanged()
		}
		if err != nil {
			return &Error{s.Name, err}
		}
		reader.Parse(stretch)
		if stretch.Last {
			takeTrailer(&stretch.Batch, s.manner().Trailer, reader.Head().Delimiter)
		}
		visit(&stretch.Batch)
	}
}

// take takes the line out of the batch.
func (c *totalCandidate) take(b *record.Batch) {
	if c.refused >= 0 {
		b.Refused = slices.Delete(b.Refused, c.refused, c.refused+1)
		return
	}
	b.Without(c.row)
}
