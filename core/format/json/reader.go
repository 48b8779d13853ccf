// Package json reads records that are written as JSON (RFC 8259): an array
// of objects, an object that holds such an array, objects one behind another,
// or a single one. A key is a column; what lies in an object within the record
// becomes a column a.b. Numbers keep their digits.
package json

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"lastblock/core/record"
)

// form is how the records stand in the text.
type form uint8

const (
	array   form = iota // one array of objects
	lines               // objects one behind another, mostly one a line
	single              // one object is the only record
	members             // each member of one object is a record, and is an object
)

// Reader reads the records of a text.
type Reader struct {
	form   form
	member string // the column for the names of members, "" where records are no members
	room   []byte
	head   record.Head
	root   *node
	names  int // different keys
	width  int
	stream *lexer // stands behind the last record that was handed out
	line   int    // on which that record starts
	given  bool
	done   bool
}

// Open finds the records in a text, and all columns that they have, by reading
// through it once; it is read again for the records. at is a JSON Pointer (RFC
// 6901) to them, "" to find them. With member the records are the members of the object
// there, or of the outermost one, and their names go into a column of that name. open gives
// the text from its start.
func Open(open func() io.Reader, at, member string) (*Reader, error) {
	r := &Reader{root: newNode(""), member: member}
	survey := newLexer(open())
	if err := r.find(survey, open, at); err != nil {
		return nil, err
	}
	start, line := survey.offset(), survey.lineNow()
	if err := r.gather(survey); err != nil {
		return nil, err
	}
	r.nameColumns(line)
	text := open()
	if _, err := io.CopyN(io.Discard, text, start); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	r.stream = newLexer(text)
	r.stream.line = line
	return r, nil
}

// Head tells which columns the records have.
func (r *Reader) Head() *record.Head { return &r.head }

// find brings the lexer to the first record.
func (r *Reader) find(l *lexer, open func() io.Reader, at string) error {
	if err := passMark(l); err != nil {
		return err
	}
	c, err := l.peek()
	if err != nil {
		return err
	}
	if at == "" && c == '{' && r.member == "" {
		if at, err = r.findWithin(open); err != nil {
			return err
		}
	}
	if at != "" && r.form != lines {
		if err := l.goTo(at); err != nil {
			return err
		}
		if c, err = l.peek(); err != nil {
			return err
		}
	}
	switch {
	case c == 0:
		r.form, r.head.Empty = lines, true
	case r.member != "" && c != '{':
		return l.fail("an object whose members are the records")
	case r.member != "":
		r.form = members
		l.at++
	case c == '[':
		r.form = array
		l.at++
	case c == '{' && r.form != lines:
		r.form = single
	case c != '{':
		return l.fail("an object, or an array of objects")
	}
	return nil
}

// passMark passes a byte-order mark.
func passMark(l *lexer) error {
	for len(l.buffer) < 3 {
		if more, err := l.more(); err != nil {
			return err
		} else if !more {
			break
		}
	}
	if bytes.HasPrefix(l.buffer, []byte("\ufeff")) {
		l.at = 3
	}
	return nil
}

// findWithin looks at a text that begins with an object: whether more objects
// follow, or which array in it holds the records, if one does.
func (r *Reader) findWithin(open func() io.Reader) (at string, err error) {
	l := newLexer(open())
	if err := passMark(l); err != nil {
		return "", err
	}
	var arrays []string
	found := l.arrays("", 0, &arrays)
	next, err := l.peek()
	if err != nil {
		return "", err
	}
	if next == '{' && found == nil || found != nil && l.base == 0 && bytes.IndexByte(l.buffer, '\n') >= 0 &&
		startsLines(l.buffer) {
		r.form = lines
		return "", nil
	}
	if found != nil {
		return "", found
	}
	if next != 0 {
		return "", l.fail("the end of the text")
	}
	switch len(arrays) {
	case 0:
		return "", nil
	case 1:
		return arrays[0], nil
	}
	return "", fmt.Errorf("%d arrays of objects stand in this JSON; say which one with ⟨at⟩\nthere is: %s", len(arrays),
		strings.Join(arrays, ", "))
}

// startsLines tells whether a text that is broken somewhere on its first line
// goes on with an object on the second: then each line is a record, and one
// broken line is not the end of the file.
func startsLines(text []byte) bool {
	_, rest, _ := bytes.Cut(text, []byte{'\n'})
	return bytes.HasPrefix(bytes.TrimLeft(rest, " \t\r\n"), []byte{'{'}) &&
		bytes.HasPrefix(bytes.TrimLeft(text, "\ufeff \t"), []byte{'{'})
}

// arrays walks through the value that follows and notes the pointers of all
// arrays that begin with an object.
func (l *lexer) arrays(pointer string, depth int, found *[]string) error {
	c, err := l.peek()
	if err != nil {
		return err
	}
	switch {
	case depth > mostDepth:
		return l.fail(fmt.Sprintf("no more than %d values within one another", mostDepth))
	case c == '[':
		first := true
		return l.each(func([]byte, int) error {
			if c, err := l.peek(); err != nil {
				return err
			} else if first && c == '{' {
				*found = append(*found, pointer)
			}
			first = false
			return l.skip()
		})
	case c == '{':
		return l.each(func(key []byte, _ int) error {
			return l.arrays(pointer+"/"+escapeKey(string(key)), depth+1, found)
		})
	}
	return l.skip()
}

func escapeKey(key string) string {
	return strings.ReplaceAll(strings.ReplaceAll(key, "~", "~0"), "/", "~1")
}

// errThere ends a walk where it was to lead.
var errThere = errors.New("there")

// goTo goes to the value that a pointer names.
func (l *lexer) goTo(pointer string) error {
	if pointer[0] != '/' {
		return fmt.Errorf("⟨at⟩ %q: a JSON Pointer begins with a slash, as /data/rows", pointer)
	}
	so := ""
	for _, step := range strings.Split(pointer[1:], "/") {
		key := strings.ReplaceAll(strings.ReplaceAll(step, "~1", "/"), "~0", "~")
		c, err := l.peek()
		if err != nil {
			return err
		}
		if c != '{' && c != '[' {
			return fmt.Errorf("⟨at⟩ %s: %s holds nothing below it", pointer, orRoot(so))
		}
		var have []string
		err = l.each(func(k []byte, i int) error {
			if c == '{' && string(k) == key || c == '[' && strconv.Itoa(i) == key {
				return errThere
			}
			if c == '{' {
				have = append(have, string(k))
			}
			return l.skip()
		})
		if err == nil {
			if c == '[' {
				return fmt.Errorf("⟨at⟩ %s: the array %s has no element %q", pointer, orRoot(so), key)
			}
			return fmt.Errorf("⟨at⟩ %s: there is no %q in %s\nthere is: %s", pointer, key, orRoot(so),
				strings.Join(have, ", "))
		}
		if !errors.Is(err, errThere) {
			return err
		}
		so += "/" + step
	}
	return nil
}

func orRoot(pointer string) string {
	if pointer == "" {
		return "the outermost value"
	}
	return pointer
}

// gather walks through all records and notes their keys.
func (r *Reader) gather(l *lexer) error {
	for first := true; ; first = false {
		text, ok, err := r.next(l, first)
		if err != nil || text == nil {
			return err
		}
		if ok {
			g := gatherer{data: text, names: &r.names}
			g.keys(r.root, 0, 0)
		}
		if r.names > mostColumns {
			return fmt.Errorf("by line %d the records have %d different keys, and a result has at most %d columns; "+
				"keys that are values, such as dates or numbers of documents, make no table, so have it written as "+
				"records that hold them, or say ⟨member-name⟩ COLUMN, which makes a record of each member of an "+
				"object", r.line, r.names, mostColumns)
		}
	}
}

// next returns the next record, nil behind the last one; ok is false where it
// is no object. It is good until the lexer goes on.
func (r *Reader) next(l *lexer, first bool) (text []byte, ok bool, err error) {
	c, err := l.peek()
	if err != nil {
		return nil, false, err
	}
	switch r.form {
	case single:
		if !first {
			return nil, false, nil
		}
	case lines:
		if c == 0 {
			return nil, false, nil
		}
		r.line = l.lineNow()
		return l.lineRecord()
	case array, members:
		if c == r.closing() {
			return nil, false, nil
		}
		if !first {
			of := map[form]string{array: "array", members: "object"}[r.form]
			if err := l.expect(',', "a comma, or the end of the "+of); err != nil {
				return nil, false, err
			}
			if c, err = l.peek(); err != nil {
				return nil, false, err
			}
		}
	}
	if r.form == members {
		return r.nextMember(l)
	}
	r.line = l.lineNow()
	text, err = l.value()
	return text, c == '{', err
}

// closing ends the records.
func (r *Reader) closing() byte {
	if r.form == members {
		return '}'
	}
	return ']'
}

// nextMember returns the object that the next member is, with its name as one more member
// in front.
func (r *Reader) nextMember(l *lexer) (text []byte, ok bool, err error) {
	r.line = l.lineNow()
	name, err := l.key(nil)
	if err != nil {
		return nil, false, err
	}
	c, err := l.peek()
	if err != nil {
		return nil, false, err
	}
	value, err := l.value()
	if err != nil || c != '{' {
		return value, false, err
	}
	front, err := json.Marshal(map[string]string{r.member: string(name)})
	if err != nil {
		return nil, false, err
	}
	r.room = append(r.room[:0], front[:len(front)-1]...)
	if rest := bytes.TrimLeft(value[1:], " \t\r\n"); rest[0] != '}' {
		r.room = append(r.room, ',')
	}
	return append(r.room, value[1:]...), true, nil
}

// lineRecord returns the object that begins on this line. One broken line is
// only that: where the next line begins with an object again, it is all that
// is lost.
func (l *lexer) lineRecord() (text []byte, ok bool, err error) {
	end, err := l.restOfLine()
	if err != nil {
		return nil, false, err
	}
	line := bytes.TrimRight(l.buffer[l.at:end], " \t\r\n")
	if line[0] == '{' {
		if n, s := skipNested(line, 0); s == whole {
			text = line[:n]
			l.at += n // more objects may stand on the line
			return text, true, nil
		}
		if end == len(l.buffer) && !l.ended { // to see how the next line begins
			if _, err := l.more(); err != nil {
				return nil, false, err
			}
			end = l.at + len(line)
			if i := bytes.IndexByte(l.buffer[end:], '\n'); i >= 0 {
				end += i + 1
			}
		}
		if end < len(l.buffer) && l.buffer[end] != '{' {
			if text, ok, err = l.longRecord(); ok || err != nil {
				return text, ok, err
			}
			if end, err = l.restOfLine(); err != nil {
				return nil, false, err
			}
		}
	}
	text = bytes.TrimRight(l.buffer[l.at:end], " \t\r\n")
	l.at = end
	return text, false, nil
}

// longRecord returns an object of several lines; ok is false where it has no
// end, and the lexer then stands where it stood.
func (l *lexer) longRecord() (text []byte, ok bool, err error) {
	for {
		end, s := skipNested(l.buffer, l.at)
		if s == whole {
			text = l.buffer[l.at:end]
			l.at = end
			return text, true, nil
		}
		more, err := l.more()
		if err != nil || !more || s == broken {
			return nil, false, err
		}
	}
}

// nameColumns gives each key that holds something a column.
func (r *Reader) nameColumns(line int) {
	var names []string
	at := make(map[string]int)
	var walk func(n *node, prefix string)
	walk = func(n *node, prefix string) {
		for _, kid := range n.kids {
			name := prefix + kid.key
			if kid.column >= 0 {
				i, ok := at[name] // a.b may be one key, and b in a
				if !ok {
					i = len(names)
					at[name] = i
					names = append(names, name)
				}
				kid.column = i
			}
			walk(kid, name+".")
		}
	}
	walk(r.root, "")
	empty := r.head.Empty
	r.head = record.Head{Format: "json", Line: line, Empty: empty, Header: []byte(strings.Join(names, ","))}
	r.head.NameColumns(names)
	r.width = len(names)
	r.head.Keyed = r.form == single && haveOneForm(r.root.kids)
}

// haveOneForm tells whether most members are objects of the same keys: then they are records,
// and what they are called is a value.
func haveOneForm(kids []*node) bool {
	const fewest = 5
	count := 0
	for _, kid := range kids {
		if len(kid.kids) > 0 && len(kid.kids) == len(kids[0].kids) && kid.kids[0].key == kids[0].kids[0].key {
			count++
		}
	}
	return len(kids) >= fewest && 2*count > len(kids)
}

// gatherer notes the keys of records.
type gatherer struct {
	data    []byte
	keyText []byte
	names   *int
}

// keys notes the keys of the object at data[at]. What is broken is left for
// the parser to refuse.
func (g *gatherer) keys(n *node, at, depth int) (end int, ok bool) {
	at = g.blanks(at + 1)
	for next := 0; at < len(g.data) && g.data[at] == '"' && depth <= mostDepth; next++ {
		closing, escaped, ok := stringEnd(g.data, at+1)
		if !ok {
			return at, false
		}
		key := g.data[at+1 : closing]
		if escaped {
			g.keyText = unescape(g.keyText[:0], key)
			key = g.keyText
		}
		kid, found := n.kid(key, next)
		if next = found; kid == nil {
			kid = newNode(string(key))
			*g.names++
			n.kids = append(n.kids, kid)
			n.byKey[kid.key] = kid
			next = len(n.kids) - 1
		}
		if at = g.blanks(closing + 1); at >= len(g.data) || g.data[at] != ':' {
			return at, false
		}
		if at = g.blanks(at + 1); at >= len(g.data) {
			return at, false
		}
		if g.data[at] == '{' {
			at, ok = g.keys(kid, at, depth+1)
		} else {
			var s state
			at, s = skipValue(g.data, at)
			ok = s == whole
			kid.column = 0 // which one is told when all are known
		}
		if !ok {
			return at, false
		}
		if at = g.blanks(at); at < len(g.data) && g.data[at] == ',' {
			at = g.blanks(at + 1)
		}
	}
	return at + 1, at < len(g.data) && g.data[at] == '}'
}

func (g *gatherer) blanks(at int) int { return passBlanks(g.data, at) }

const (
	batchRecords = 2000
	batchBytes   = 256 << 10
	batchCells   = 1 << 20 // of wide records there are fewer in a batch

	mostColumns = 100_000
)

// Block is a number of records on their way to a batch.
type Block struct {
	data  []byte
	ends  []int
	lines []int
	ok    []bool
	last  bool
}

// Next takes the next records; the error is io.EOF behind the last ones.
func (r *Reader) Next(b *Block) error {
	if r.done {
		return io.EOF
	}
	b.data, b.ends, b.lines, b.ok = b.data[:0], b.ends[:0], b.lines[:0], b.ok[:0]
	for len(b.ends) < max(1, min(batchRecords, batchCells/max(1, r.width))) && len(b.data) < batchBytes {
		text, ok, err := r.next(r.stream, !r.given)
		if err != nil {
			return err
		}
		if text == nil {
			r.done = true
			break
		}
		r.given = true
		b.lines = append(b.lines, r.line)
		b.data = append(b.data, text...)
		b.ends = append(b.ends, len(b.data))
		b.ok = append(b.ok, ok)
	}
	if !r.done { // whether anything follows
		c, err := r.stream.peek()
		if err != nil {
			return err
		}
		r.done = r.form == single || c == 0 && r.form == lines || (r.form == array || r.form == members) &&
			c == r.closing()
	}
	b.last = r.done
	return nil
}

// Parse makes a batch of a block; data is a buffer to use again. It may be
// called for several blocks at the same time.
func (r *Reader) Parse(block *Block, b *record.Batch, data []byte) []byte {
	p := parser{root: r.root, values: make([]value, r.width)}
	data = data[:0]
	b.Reset(r.width)
	b.Quoted, b.Last = true, block.last
	b.Regular = r.width > 1 // a line of one blank field would be no record
	b.Plain = b.Regular
	from := 0
	for i, end := range block.ends {
		text := block.data[from:end]
		from = end
		ok := block.ok[i]
		if ok {
			var at int
			at, ok = p.object(text, 0)
			ok = ok && at == len(text)
		}
		if ok && p.twice < 0 {
			var plain bool
			data, b.Bounds, plain = p.appendRecord(data, b.Bounds)
			b.Plain = b.Plain && plain
			b.Lines = append(b.Lines, block.lines[i])
			b.Rows++
			continue
		}
		refusal := record.Refusal{Reason: record.BadValue, Line: block.lines[i], Raw: text, Found: text,
			Wanted: "one JSON object"}
		if ok {
			refusal.Column = r.head.Layout.Columns[p.twice]
			refusal.Wanted, refusal.Found = "a key that stands once", p.values[p.twice].text
		}
		b.Refused = append(b.Refused, refusal)
	}
	b.Data = data
	return data
}
