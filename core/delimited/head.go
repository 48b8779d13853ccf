package delimited

import (
	"bytes"
	"strings"
	"sync"
	"unicode/utf8"

	"lastblock/core/amount"
	"lastblock/core/date"
	"lastblock/core/record"
)

// Head tells how a source is written, found out from its start.
type Head struct {
	Dialect Dialect
	Layout  *record.Layout
	Header  []byte // the header as it was sent, nil without one
	Line    int    // on which the header starts, or the first record
	Mark    bool   // a byte-order mark stands in front
	Empty   bool   // no bytes, or nothing but blank lines

	// Twice are names that stood in the header before, under the names that
	// were given to them; Unnamed are the columns without a name.
	Twice   []Renamed
	Unnamed []int

	size  int // bytes from the start of the source to its first record
	lines int // lines in them
}

// Renamed is a column that could not keep its name.
type Renamed struct{ Name, As string }

// HasHeader tells whether the first line names the columns.
func (h *Head) HasHeader() bool { return h.Header != nil }

// Request is what the user has said about how sources are written.
type Request struct {
	Delimiter   byte // 0: found by itself
	SkipLines   int  // lines above the header, or above the first record
	HeaderLines int  // lines of the header, whose names are joined; 0: one, or none if it looks like a record
	NoHeader    bool
}

// Heads finds heads, and keeps those that the first line alone decides, since
// the thousand files of a month begin with the same line.
type Heads struct {
	request Request
	mutex   sync.RWMutex
	known   map[string]*Head
}

// NewHeads makes a Heads for one run.
func NewHeads(request Request) *Heads {
	return &Heads{request: request, known: make(map[string]*Head)}
}

const (
	sampleSize  = 64 << 10
	sampleLines = 50
)

// delimiters are tried in this order; the comma comes last since it is a
// decimal mark as well.
var delimiters = []byte{'\t', ';', '|', ','}

// Find returns the head of a source that begins with sample, or nil where more
// of it is needed; whole says that there is no more.
func (f *Heads) Find(sample []byte, whole bool) *Head {
	line := firstLine(sample)
	if line == nil || f.request.SkipLines > 0 || f.request.HeaderLines > 1 || !decides(line) {
		return find(sample, whole, f.request)
	}
	f.mutex.RLock()
	head := f.known[string(line)]
	f.mutex.RUnlock()
	if head != nil {
		return head
	}
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if head = f.known[string(line)]; head == nil {
		head = find(line, true, f.request)
		f.known[string(line)] = head
	}
	return head
}

// firstLine returns the first line with its line end, nil where there is none.
func firstLine(sample []byte) []byte {
	if i := bytes.IndexByte(sample, '\n'); i >= 0 {
		return sample[:i+1]
	}
	return nil
}

// decides tells whether a first line is a header beyond doubt: words only,
// with one kind of delimiter between them. The head then follows from the line
// alone, so that it does not matter which of several sources was read first.
func decides(line []byte) bool {
	var delimiter byte
	wordStart := true
	for _, c := range line[:len(line)-1] {
		if wordStart && !('a' <= c|0x20 && c|0x20 <= 'z') {
			return false
		}
		wordStart = false
		switch c {
		case '\t', ';', '|', ',':
			if delimiter != 0 && delimiter != c {
				return false
			}
			delimiter, wordStart = c, true
		case '"':
			return false
		case '\r':
		default:
			if c >= utf8.RuneSelf {
				return false
			}
		}
	}
	return delimiter != 0 && !wordStart
}

// find works out a head from a sample. Only its first stretch counts, and the
// first line to its end, so that the head does not depend on how much more was
// read.
func find(sample []byte, whole bool, request Request) *Head {
	if len(sample) > sampleSize {
		lineEnd, _ := lineEndOf(sample)
		front := linesEnd(sample, lineEnd, request.SkipLines+max(1, request.HeaderLines))
		if front == 0 && !whole {
			return nil
		}
		if front == 0 {
			front = len(sample)
		}
		if cut := max(sampleSize, front); cut < len(sample) {
			sample, whole = sample[:cut], false
		}
	}
	h := new(Head)
	rest := sample
	if mark := []byte("\ufeff"); bytes.HasPrefix(rest, mark) {
		h.Mark = true
		rest = rest[len(mark):]
	}
	h.Dialect.LineEnd, _ = lineEndOf(rest)
	if request.SkipLines > 0 {
		end := linesEnd(rest, h.Dialect.LineEnd, request.SkipLines)
		if end == 0 {
			end = len(rest)
		}
		h.lines = bytes.Count(rest[:end], []byte{h.Dialect.LineEnd})
		rest = rest[end:]
	}
	for { // blank lines in front belong to nothing
		end := bytes.IndexByte(rest, h.Dialect.LineEnd)
		if end < 0 || len(trimLineEnd(rest[:end+1])) > 0 {
			break
		}
		rest = rest[end+1:]
		h.lines++
	}
	h.size = len(sample) - len(rest)
	h.Line = h.lines + 1
	h.Empty = len(trimLineEnd(rest)) == 0
	look := rest
	if last := bytes.LastIndexByte(rest, h.Dialect.LineEnd) + 1; !whole && last > 0 {
		look = rest[:last] // without a line that the end of the sample cuts
	}
	h.Dialect.Delimiter = request.Delimiter
	if request.Delimiter == 0 {
		h.Dialect.Delimiter = findDelimiter(look, h.Dialect.LineEnd)
	}
	table := sampleTable(look, h.Dialect)
	if len(table) == 0 {
		h.Layout = record.NewLayout(nil)
		return h
	}
	if request.NoHeader || request.HeaderLines == 0 && !looksLikeHeader(table) {
		h.Layout = positions(usualWidth(table))
		return h
	}
	end := 0
	headers := min(max(1, request.HeaderLines), len(table))
	for range headers {
		end += headerEnd(rest[end:], h.Dialect)
	}
	h.Header = bytes.Clone(trimLineEnd(rest[:end]))
	h.size += end
	h.lines += bytes.Count(rest[:end], []byte{h.Dialect.LineEnd})
	h.nameColumns(joinNames(table[:headers]))
	return h
}

// linesEnd returns the end of the n-th line, 0 where there are not so many.
func linesEnd(data []byte, lineEnd byte, n int) int {
	end := 0
	for range n {
		i := bytes.IndexByte(data[end:], lineEnd)
		if i < 0 {
			return 0
		}
		end += i + 1
	}
	return end
}

// joinNames joins what stands one below another in the lines of a header with
// blanks.
func joinNames(lines [][]string) []string {
	var names []string
	for _, line := range lines {
		for i, part := range line {
			part = strings.TrimSpace(part)
			switch {
			case i == len(names):
				names = append(names, part)
			case part != "" && names[i] != "":
				names[i] += " " + part
			case part != "":
				names[i] = part
			}
		}
	}
	return names
}

// lineEndOf tells how lines end: in LF, unless there is none in the first
// stretch, and a CR with something behind it. known is false where neither was
// seen.
func lineEndOf(data []byte) (lineEnd byte, known bool) {
	start := data[:min(len(data), sampleSize)]
	if bytes.IndexByte(start, '\n') >= 0 {
		return '\n', true
	}
	if at := bytes.IndexByte(start, '\r'); at >= 0 && at < len(start)-1 {
		return '\r', len(start) == sampleSize
	}
	return '\n', bytes.IndexByte(data, '\n') >= 0
}

// headerEnd returns where the first record ends; a last line may have no line
// end.
func headerEnd(rest []byte, d Dialect) int {
	if end := d.firstRecordEnd(rest); end > 0 {
		return end
	}
	return len(rest)
}

// trimLineEnd takes LF, CR LF or CR off the end of a line.
func trimLineEnd(line []byte) []byte {
	return bytes.TrimSuffix(bytes.TrimSuffix(line, []byte{'\n'}), carriageReturn)
}

// findDelimiter takes the delimiter by which most lines have as many fields as
// the first one, and more than one.
func findDelimiter(look []byte, lineEnd byte) byte {
	best, bestShare := byte(0), 0.0
	alone, aloneShare := byte(','), -1.0
	for _, delimiter := range delimiters {
		table := sampleTable(look, Dialect{delimiter, lineEnd})
		if len(table) == 0 {
			continue
		}
		same := 0
		for _, row := range table {
			if len(row) == len(table[0]) {
				same++
			}
		}
		share := float64(same) / float64(len(table))
		switch {
		case len(table[0]) > 1 && share > bestShare:
			best, bestShare = delimiter, share
		case len(table[0]) == 1 && share >= aloneShare:
			alone, aloneShare = delimiter, share
		}
	}
	if best != 0 {
		return best
	}
	return alone
}

// sampleTable reads the first records of a sample, the texts without quotes.
func sampleTable(look []byte, d Dialect) [][]string {
	data := look
	if n := len(data); n > 0 && data[n-1] != d.LineEnd {
		data = append(bytes.Clone(data), d.LineEnd)
	}
	var (
		table   [][]string
		batch   record.Batch
		scratch []byte
	)
	for start := 0; start < len(data) && len(table) < sampleLines; {
		batch.Reset(0)
		batch.Data, batch.Quoted = data, true
		batch.Bounds = append(batch.Bounds, uint32(start)-1)
		end, _, ok := d.fields(data, start, &batch)
		if !ok && len(table) == 0 { // names, if this is a header, quotes and all
			table = append(table, strings.Split(string(trimLineEnd(data[start:end])), string(d.Delimiter)))
		}
		if ok && len(trimLineEnd(data[start:end])) > 0 {
			batch.Width = len(batch.Bounds) - 1
			row := make([]string, batch.Width)
			for i := range row {
				row[i] = string(batch.Text(0, i, &scratch))
			}
			table = append(table, row)
		}
		start = end
	}
	return table
}

// usualWidth is the number of fields that most lines have.
func usualWidth(table [][]string) int {
	counts := make(map[int]int)
	width := 0
	for _, row := range table {
		counts[len(row)]++
		if n := counts[len(row)]; n > counts[width] {
			width = len(row)
		}
	}
	return width
}

// looksLikeHeader tells names from values: a first line that holds figures
// where the lines below hold figures too is a record. Years and months may
// stand in a header, beside words.
func looksLikeHeader(table [][]string) bool {
	first, below := table[0], table[1:]
	words, values, asName, asValue := 0, 0, 0, 0
	for column, text := range first {
		value := isValue(text)
		if !value && strings.TrimSpace(text) != "" {
			words++
		}
		if value && !date.IsPeriod(text) {
			values++
		}
		switch figures := mostlyValues(below, column); {
		case figures && value && !date.IsPeriod(text):
			asValue++
		case figures && !value && strings.TrimSpace(text) != "":
			asName++
		}
	}
	switch {
	case words == 0:
		return false
	case len(below) == 0:
		return values == 0
	}
	return asValue == 0 || asName > asValue
}

func isValue(text string) bool {
	trimmed := []byte(strings.TrimSpace(text))
	if _, ok := date.Parse(trimmed); ok {
		return true
	}
	if _, err := amount.Parse(trimmed, '.'); err == nil {
		return true
	}
	_, err := amount.Parse(trimmed, ',')
	return err == nil
}

func mostlyValues(rows [][]string, column int) bool {
	values, filled := 0, 0
	for _, row := range rows {
		if column >= len(row) || strings.TrimSpace(row[column]) == "" {
			continue
		}
		filled++
		if isValue(row[column]) {
			values++
		}
	}
	return filled > 0 && 2*values > filled
}

func positions(width int) *record.Layout {
	columns := make([]string, width)
	for i := range columns {
		columns[i] = record.PositionName(i + 1)
	}
	return record.NewLayout(columns)
}

// nameColumns takes the names of a header. A name that stood before, and a
// column without one, get the next free form.
func (h *Head) nameColumns(header []string) {
	var names record.Names
	columns := make([]string, len(header))
	for i, name := range header {
		name = strings.TrimSpace(name)
		if name == "" {
			name = record.PositionName(i + 1)
			h.Unnamed = append(h.Unnamed, i+1)
		}
		free := names.Free(name)
		if free != name {
			h.Twice = append(h.Twice, Renamed{Name: name, As: free})
		}
		columns[i] = free
	}
	h.Layout = record.NewLayout(columns)
}
