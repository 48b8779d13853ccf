package parquet

import (
	"encoding/binary"
	"errors"
	"io"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/encoding"
)

// cursor reads the values of one column of a group of rows, page by page. Each row has one value, which may be null.
type cursor struct {
	pages   parquet.Pages
	notNull byte // the definition level of values that are not null
	page    parquet.Page
	rows    int    // of the page
	at      int    // the next one
	levels  []byte // definition levels of the page; none where no value is null

	stored     stored // the values of the page that are not null
	next       int    // the next of these
	dictionary stored // in which the values of the page are indexes, if it is indexed
	indexed    bool
	boxes      parquet.ValueReader // reads values that are stored in another way
}

var (
	errRows  = errors.New("rows are missing")
	errEnds  = errors.New("a text ends before it begins")
	errIndex = errors.New("a value is not in the dictionary of its column")
)

// take appends the values of the next n rows.
func (c *cursor) take(v *values, n int) error {
	for n > 0 {
		if c.at == c.rows {
			if err := c.turn(); err != nil {
				return err
			}
			continue
		}
		some := min(n, c.rows-c.at)
		if err := c.copy(v, some); err != nil {
			return err
		}
		c.at += some
		n -= some
	}
	return nil
}

// turn goes on to the next page.
func (c *cursor) turn() error {
	c.release()
	page, err := c.pages.ReadPage()
	if errors.Is(err, io.EOF) {
		return errRows
	}
	if err != nil {
		return err
	}
	c.page, c.rows, c.at, c.next = page, int(page.NumRows()), 0, 0
	if c.levels = page.DefinitionLevels(); len(c.levels) > 0 && len(c.levels) != c.rows {
		return errCount
	}
	c.boxes, c.indexed = nil, false
	data := page.Data()
	if dictionary := page.Dictionary(); dictionary != nil {
		c.indexed = true
		c.stored.open(data)
		data = dictionary.Page().Data()
		if c.stored.kind != encoding.Int32 {
			return errIndex
		}
		c.dictionary.open(data)
	} else {
		c.stored.open(data)
	}
	if kind := data.Kind(); kind == encoding.Boolean || kind == encoding.Int96 || kind == encoding.Undefined {
		c.boxes = page.Values()
	}
	return nil
}

// end makes sure that no row follows.
func (c *cursor) end() error {
	for c.at == c.rows {
		switch err := c.turn(); {
		case errors.Is(err, errRows):
			return nil
		case err != nil:
			return err
		}
	}
	return errCount
}

func (c *cursor) release() {
	if c.page != nil {
		parquet.Release(c.page)
		c.page, c.rows, c.at = nil, 0, 0
	}
}

func (c *cursor) close() {
	c.release()
	c.pages.Close()
}

// copy appends the values of the next n rows of the page.
func (c *cursor) copy(v *values, n int) error {
	if c.boxes != nil {
		return c.unbox(v, n)
	}
	if len(c.levels) == 0 {
		return c.fill(v, n)
	}
	levels := c.levels[c.at : c.at+n]
	for len(levels) > 0 {
		filled := 0
		for filled < len(levels) && levels[filled] == c.notNull {
			filled++
		}
		if err := c.fill(v, filled); err != nil {
			return err
		}
		levels = levels[filled:]
		for len(levels) > 0 && levels[0] != c.notNull {
			v.addNull(c.of().isWords())
			levels = levels[1:]
		}
	}
	return nil
}

// of are what holds the values themselves.
func (c *cursor) of() *stored {
	if c.indexed {
		return &c.dictionary
	}
	return &c.stored
}

// fill appends the next n values that are not null.
func (c *cursor) fill(v *values, n int) error {
	if c.stored.n-c.next < n {
		return errCount
	}
	if n == 0 {
		return nil
	}
	from := c.next
	c.next += n
	if !c.indexed && c.stored.kind == encoding.ByteArray {
		return v.addAll(&c.stored, from, n)
	}
	if !c.indexed && c.stored.kind == encoding.FixedLenByteArray {
		v.addFixed(c.stored.bytes[from*c.stored.size:c.next*c.stored.size], c.stored.size)
		return nil
	}
	if !c.indexed {
		for i := from; i < from+n; i++ {
			v.add(&c.stored, i)
		}
		return nil
	}
	for i := from; i < from+n; i++ {
		at := int(c.stored.word(i))
		if at < 0 || at >= c.dictionary.n {
			return errIndex
		}
		v.add(&c.dictionary, at)
	}
	return nil
}

// unbox appends the values of the next n rows of the page, one by one.
func (c *cursor) unbox(v *values, n int) error {
	var room [256]parquet.Value
	for n > 0 {
		read, err := c.boxes.ReadValues(room[:min(n, len(room))])
		if read == 0 {
			if err == nil || errors.Is(err, io.EOF) {
				err = errCount
			}
			return err
		}
		for _, box := range room[:read] {
			words := box.Kind() == parquet.Boolean
			switch of := valueOf(box); {
			case box.IsNull():
				v.addNull(c.of().kind == encoding.Boolean)
			case words:
				v.addWord(of.word)
			default:
				v.addBytes(of.bytes)
			}
		}
		n -= read
	}
	return nil
}

// stored are values the way a page or a dictionary holds them.
type stored struct {
	kind    encoding.Kind
	bytes   []byte
	offsets []uint32 // of byte strings that are not all of one size, and behind the last one
	size    int      // of each otherwise
	n       int
}

func (s *stored) open(data encoding.Values) {
	*s = stored{kind: data.Kind()}
	s.bytes, s.offsets = data.Data()
	switch s.kind {
	case encoding.ByteArray:
		s.n = max(0, len(s.offsets)-1)
		return
	case encoding.Int32, encoding.Float:
		s.size = 4
	case encoding.Int64, encoding.Double:
		s.size = 8
	case encoding.FixedLenByteArray:
		_, s.size = data.FixedLenByteArray()
	}
	if s.size > 0 {
		s.n = len(s.bytes) / s.size
	}
}

// isWords tells whether the values are words.
func (s *stored) isWords() bool {
	return s.kind != encoding.ByteArray && s.kind != encoding.FixedLenByteArray
}

// word is the i-th of values that are words, which lie in memory as the machine has them.
func (s *stored) word(i int) int64 {
	switch s.kind {
	case encoding.Int32:
		return int64(int32(binary.NativeEndian.Uint32(s.bytes[4*i:])))
	case encoding.Float:
		return int64(binary.NativeEndian.Uint32(s.bytes[4*i:]))
	}
	return int64(binary.NativeEndian.Uint64(s.bytes[8*i:]))
}

// add appends the i-th value of some that are stored.
func (v *values) add(s *stored, i int) {
	switch s.kind {
	case encoding.ByteArray:
		v.addBytes(s.bytes[s.offsets[i]:s.offsets[i+1]])
	case encoding.FixedLenByteArray:
		v.addBytes(s.bytes[i*s.size : (i+1)*s.size])
	default:
		v.addWord(s.word(i))
	}
}

// addAll appends n byte strings, which lie one behind the other.
func (v *values) addAll(s *stored, from, n int) error {
	first, last := s.offsets[from], s.offsets[from+n]
	shift, before := uint32(len(v.bytes))-first, first
	v.bytes = append(v.bytes, s.bytes[first:last]...)
	for _, end := range s.offsets[from+1 : from+n+1] {
		if end < before {
			return errEnds
		}
		before = end
		v.ends = append(v.ends, end+shift)
	}
	if len(v.nulls) > 0 {
		v.nulls = append(v.nulls, make([]bool, n)...)
	}
	return nil
}

// addFixed appends byte strings of one size, which lie one behind the other.
func (v *values) addFixed(bytes []byte, size int) {
	end := len(v.bytes)
	v.bytes = append(v.bytes, bytes...)
	for end < len(v.bytes) {
		end += size
		v.ends = append(v.ends, uint32(end))
	}
	if len(v.nulls) > 0 {
		v.nulls = append(v.nulls, make([]bool, len(bytes)/size)...)
	}
}

func (v *values) addWord(word int64) {
	v.words = append(v.words, word)
	if len(v.nulls) > 0 {
		v.nulls = append(v.nulls, false)
	}
}

func (v *values) addBytes(bytes []byte) {
	v.bytes = append(v.bytes, bytes...)
	v.ends = append(v.ends, uint32(len(v.bytes)))
	if len(v.nulls) > 0 {
		v.nulls = append(v.nulls, false)
	}
}

// addNull appends a null to values that are words or bytes.
func (v *values) addNull(isWords bool) {
	for len(v.nulls) < len(v.words)+len(v.ends) {
		v.nulls = append(v.nulls, false)
	}
	if isWords {
		v.words = append(v.words, 0)
	} else {
		v.ends = append(v.ends, uint32(len(v.bytes)))
	}
	v.nulls = append(v.nulls, true)
}
