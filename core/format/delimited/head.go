package delimited

import (
	"bytes"
	"cmp"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"lastblock/core/format/header"
	"lastblock/core/record"
)

// Head tells how a source is written, found out from its start.
type Head struct {
	record.Head
	Dialect Dialect

	size  int // bytes from the start of the source to its first record
	lines int // lines in them
}

// Request is what the user has said about how sources are written.
type Request struct {
	Delimiter   byte // 0: found by itself
	SkipLines   int  // lines above the header, or above the first record
	HeaderLines int  // lines of the header, whose names are joined; 0: one, or none if it looks like a record
	NoHeader    bool
	NoQuotes    bool // quotes mean nothing
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
	manyLines   = 1000 // where these show no more than one field each
)

// delimiters are tried in this order; the comma comes last since it is a
// decimal mark as well.
var delimiters = []byte{'\t', ';', '|', ','}

// Find returns the head of a source that begins with sample, or nil where more
// of it is needed; whole says that there is no more.
func (f *Heads) Find(sample []byte, whole bool) *Head {
	line := firstLine(sample)
	if line == nil || !agrees(line, sample[len(line):]) || f.request.SkipLines > 0 || f.request.HeaderLines > 1 {
		return find(sample, whole, f.request)
	}
	f.mutex.RLock()
	head := f.known[string(line)]
	f.mutex.RUnlock()
	if head != nil {
		return head
	}
	if !decides(line, !f.request.NoQuotes) {
		return find(sample, whole, f.request)
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

// agrees tells whether the line behind the first one has as many fields, and a digit, as
// a record has and a header of words has not; where there is none, that is not looked into, nor
// how many fields one has of which a quote stays open.
func agrees(line, rest []byte) bool {
	next := firstLine(rest)
	switch {
	case len(trimLineEnd(next)) == 0:
		return true
	case !bytes.ContainsAny(next, "0123456789"):
		return false
	}
	i := bytes.IndexAny(line, "\t;|,")
	if i < 0 {
		return true
	}
	count, open := countOutside(next, line[i])
	return open || count == bytes.Count(line, line[i:i+1])
}

// countOutside counts a delimiter outside quotes; open says that one is not closed.
func countOutside(line []byte, delimiter byte) (count int, open bool) {
	for _, c := range line {
		switch {
		case c == '"':
			open = !open
		case c == delimiter && !open:
			count++
		}
	}
	return count, open
}

// decides tells whether a first line is a header beyond doubt: words only, some of them in quotes,
// with one kind of delimiter between them. The head then follows from the line
// alone, so that it does not matter which of several sources was read first.
func decides(line []byte, quotes bool) bool {
	var delimiter byte
	rest := bytes.TrimPrefix(trimLineEnd(line), []byte("\ufeff"))
	for {
		quoted := quotes && len(rest) > 0 && rest[0] == '"'
		end := bytes.IndexAny(rest, "\t;|,")
		word := rest
		if end >= 0 {
			word = rest[:end]
		}
		if quoted {
			if len(word) < 2 || word[len(word)-1] != '"' {
				return false
			}
			word = word[1 : len(word)-1]
		}
		if first, _ := utf8.DecodeRune(word); !unicode.IsLetter(first) || !utf8.Valid(word) ||
			bytes.ContainsAny(word, "\"\r") {
			return false
		}
		if end < 0 {
			return delimiter != 0
		}
		if delimiter != 0 && delimiter != rest[end] {
			return false
		}
		delimiter, rest = rest[end], rest[end+1:]
	}
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
	h := &Head{Head: record.Head{Format: "delimited"}}
	rest := sample
	if mark := []byte("\ufeff"); bytes.HasPrefix(rest, mark) {
		h.Mark = true
		rest = rest[len(mark):]
	}
	h.Dialect.LineEnd, _ = lineEndOf(rest)
	h.Dialect.NoQuotes = request.NoQuotes
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
	table := h.findTable(look, request.Delimiter)
	h.Delimiter = h.Dialect.Delimiter
	if len(table) == 0 {
		h.Layout = record.NewLayout(nil)
		return h
	}
	texts := rowTexts(table)
	at, lines := 0, 0
	if !request.NoHeader {
		at, lines = header.Find(texts, request.HeaderLines)
	}
	if lines == 0 {
		h.Layout = record.Positions(header.Width(texts))
		h.Several = len(h.Layout.Columns) == 1 && haveParts(texts)
		return h
	}
	start, end := table[at].start, table[at+lines-1].end
	end = min(end, len(rest)) // the last line may have no line end
	h.Above = at
	h.Header = bytes.Clone(trimLineEnd(rest[start:end]))
	h.Line += bytes.Count(rest[:start], []byte{h.Dialect.LineEnd})
	h.size += end
	h.lines += bytes.Count(rest[:end], []byte{h.Dialect.LineEnd})
	names := header.Join(texts[at : at+lines])
	if lines == 1 && header.IsShort(texts[at:]) {
		names = header.Complete(names, texts[at+1:])
	}
	h.Unproven = request.HeaderLines == 0 && !header.IsProven(texts[at:])
	if header.IsNumbering(names, texts[at+lines:]) {
		h.Index = 1
	}
	h.Continues = request.HeaderLines == 0 && header.Continues(texts[at+lines:])
	h.NameColumns(names)
	if len(names) == 1 {
		h.Alone = otherDelimiter(h.Header, h.Dialect.Delimiter)
		h.Several = haveParts(texts[at+lines:])
	}
	return h
}

// haveParts tells whether most texts of the only column consist of several parts, with blanks
// or a sign between them that words do not have, and are no values.
func haveParts(rows [][]string) bool {
	parts := func(c rune) bool {
		return !unicode.IsLetter(c) && !unicode.IsDigit(c) && !strings.ContainsRune("-._'’()&@", c)
	}
	count := 0
	for _, row := range rows {
		text := strings.TrimSpace(row[0])
		if strings.ContainsFunc(text, parts) && !header.IsValue(text) {
			count++
		}
	}
	return 2*count > len(rows)
}

// findTable reads the first records, and finds the delimiter where none is asked for. Where
// the first lines are all of one field, as those of a long preamble are, it looks at more.
func (h *Head) findTable(look []byte, asked byte) []sampleRow {
	h.Dialect.Delimiter = asked
	var table []sampleRow
	for _, most := range []int{sampleLines, manyLines} {
		found := true
		if asked == 0 {
			h.Dialect.Delimiter, found = findDelimiter(look, h.Dialect, most)
		}
		table = sampleTable(look, h.Dialect, most)
		if len(table) < most || found && header.Width(rowTexts(table)) != 1 {
			break
		}
	}
	return table
}

// otherDelimiter is a delimiter that stands in a header without quotes, and is not the one
// by which it was read.
func otherDelimiter(header []byte, delimiter byte) byte {
	if bytes.IndexByte(header, '"') >= 0 {
		return 0
	}
	for _, other := range delimiters {
		if other != delimiter && bytes.IndexByte(header, other) >= 0 {
			return other
		}
	}
	return 0
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

// lineEndOf tells how lines end: in LF, unless there is none in the first stretch, and
// a CR with something behind it. Where both are there, as in a file with lines that end
// in CR and texts of several lines, what stands within quotes does not count. known is
// false where neither was seen.
func lineEndOf(data []byte) (lineEnd byte, known bool) {
	start := data[:min(len(data), sampleSize)]
	feed, alone := bytes.IndexByte(start, '\n') >= 0, loneReturn(start)
	switch {
	case feed && alone >= 0 && endsInReturns(start):
		return '\r', true
	case feed:
		return '\n', true
	case alone >= 0:
		return '\r', len(start) == sampleSize
	}
	return '\n', bytes.IndexByte(data, '\n') >= 0
}

// loneReturn finds the first CR that has something behind it which is no LF, -1 for none.
func loneReturn(data []byte) int {
	for at := 0; ; at++ {
		i := bytes.IndexByte(data[at:], '\r')
		if i < 0 || at+i+1 >= len(data) {
			return -1
		}
		if at += i; data[at+1] != '\n' {
			return at
		}
	}
}

// endsInReturns tells whether more lines end in CR alone than in LF, outside of quotes.
func endsInReturns(data []byte) bool {
	returns, feeds, quoted := 0, 0, false
	for i, c := range data {
		switch {
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '\n':
			feeds++
		case c == '\r' && (i+1 == len(data) || data[i+1] != '\n'):
			returns++
		}
	}
	return returns > feeds
}

// trimLineEnd takes LF, CR LF or CR off the end of a line.
func trimLineEnd(line []byte) []byte {
	return bytes.TrimSuffix(bytes.TrimSuffix(line, []byte{'\n'}), carriageReturn)
}

// findDelimiter takes the delimiter by which most lines have as many fields as
// the header, and more than one; found is false where none has more.
func findDelimiter(look []byte, d Dialect, most int) (delimiter byte, found bool) {
	best, bestShare := byte(0), 0.0
	alone, aloneShare := byte(','), -1.0
	for _, delimiter := range delimiters {
		d.Delimiter = delimiter
		table := sampleTable(look, d, most)
		if len(table) == 0 {
			continue
		}
		width := headerWidth(table)
		same := 0
		for i := range table {
			if len(table[i].texts) == width {
				same++
			}
		}
		share := float64(same) / float64(len(table))
		switch {
		case width > 1 && share > bestShare:
			best, bestShare = delimiter, share
		case width == 1 && share >= aloneShare:
			alone, aloneShare = delimiter, share
		}
	}
	if best == 0 && aloneShare >= 0 {
		best = rareDelimiter(look, d)
	}
	return cmp.Or(best, alone), best != 0
}

// rareDelimiters part the fields of texts in which none of the usual ones does.
var rareDelimiters = []byte{0x1f, 0x01, '~', '^', ':'}

// rareDelimiter takes the one by which every line has as many fields as the first, and more
// than one; 0 where there is none. A colon in figures is part of a time.
func rareDelimiter(look []byte, d Dialect) byte {
	const fewest = 2 // lines that have to agree
	for _, d.Delimiter = range rareDelimiters {
		table := sampleTable(look, d, sampleLines)
		agree := len(table) >= fewest
		for i := range table {
			texts := table[i].texts
			isTime := d.Delimiter == ':' && strings.Trim(texts[0], "0123456789 -/.") == ""
			agree = agree && len(texts) > 1 && len(texts) == len(table[0].texts) && !isTime
		}
		if agree {
			return d.Delimiter
		}
	}
	return 0
}

// headerWidth is the number of fields of the header, or of the first record.
func headerWidth(table []sampleRow) int {
	if width := len(table[0].texts); width > 1 {
		return width
	}
	texts := rowTexts(table)
	if at, lines := header.Find(texts, 0); lines > 0 {
		return len(texts[at])
	}
	return len(texts[0])
}

func rowTexts(table []sampleRow) [][]string {
	texts := make([][]string, len(table))
	for i := range table {
		texts[i] = table[i].texts
	}
	return texts
}

// sampleRow is a record of a sample: its texts without quotes, and where it
// stands.
type sampleRow struct {
	texts      []string
	start, end int
}

// sampleTable reads the first records of a sample.
func sampleTable(look []byte, d Dialect, most int) []sampleRow {
	data := look
	if n := len(data); n > 0 && data[n-1] != d.LineEnd {
		data = append(bytes.Clone(data), d.LineEnd)
	}
	var (
		table   []sampleRow
		batch   record.Batch
		scratch []byte
	)
	for start := 0; start < len(data) && len(table) < most; {
		batch.Reset(0)
		batch.Data, batch.Quoted = data, !d.NoQuotes
		batch.Bounds = append(batch.Bounds, uint32(start)-1)
		end, _, ok := d.fields(data, start, &batch)
		if !ok && len(table) == 0 { // names, if this is a header, quotes and all
			table = append(table, sampleRow{strings.Split(string(trimLineEnd(data[start:end])), string(d.Delimiter)),
				start, end})
		}
		if ok && len(trimLineEnd(data[start:end])) > 0 {
			batch.Width = len(batch.Bounds) - 1
			row := make([]string, batch.Width)
			for i := range row {
				row[i] = string(batch.Text(0, i, &scratch))
			}
			table = append(table, sampleRow{row, start, end})
		}
		start = end
	}
	return table
}
