package overlay

import (
	"bytes"
	"encoding/binary"
	"math"
	"math/bits"

	"lastblock/core/source"
	"lastblock/core/value/amount"
)

// pattern is what a form of text looks like, byte by byte but for its figures. The next form that looks the same is
// read by it: its labels are those of the form before, and its figures are read straight from the text.
type pattern struct {
	layout   *layout
	areas    bool // its figures were found, and have to be in the same place
	manner   *source.Manner
	decimal  byte
	lineEnd  byte
	between  byte // the delimiter
	lines    []patternLine
	labelled int // the line in which the labels of columns are
}

// patternLine is a line of it. One with figures begins with the texts before them and ends with what is behind.
type patternLine struct {
	text    []byte // the whole line, or what is before its figures
	behind  []byte
	figures bool
}

// learn takes the pattern of the form that was read, where one is to be had: of text with one block without gaps, of
// which each figure is plain.
func (w *worker) learn(f *form) {
	c := w.cells
	w.pattern = nil
	if !c.Plain || c.Guessed != "" || w.dense.fails || len(f.layout.blocks) != 1 || f.isOutside || f.unclear != "" {
		return
	}
	b := &f.layout.blocks[0]
	first, last := b.columns[0].at, b.columns[len(b.columns)-1].at
	if last-first+1 != len(b.columns) {
		return
	}
	p := &pattern{layout: f.layout, areas: w.run.options.Labels == nil && w.run.options.Areas == nil,
		manner:  c.Manner(),
		decimal: c.Decimal}
	p.between, p.lineEnd = c.Delimiter()
	for i := range b.columns {
		if at := b.columns[i].row; at == 0 || i > 0 && at != p.labelled {
			return
		}
		p.labelled = b.columns[i].row
	}
	rest, row := c.Text, 0
	for number := 1; len(rest) > 0; number++ {
		line := p.cut(&rest)
		l := patternLine{text: bytes.Clone(line)}
		if row < len(b.rows) && b.rows[row].at == number {
			before, ok := p.skip(line, first-1)
			if !ok {
				return
			}
			figures, ok := p.skip(line[before:], len(b.columns))
			behind := before + figures
			if !ok { // the figures end the line
				behind = len(line)
			} else {
				behind--
			}
			l = patternLine{text: bytes.Clone(line[:before]), behind: bytes.Clone(line[behind:]), figures: true}
			row++
		} else if bytes.IndexByte(line, '"') >= 0 {
			return // it may go on in the next line
		}
		p.lines = append(p.lines, l)
	}
	if row == len(b.rows) {
		w.pattern = p
	}
}

// cut takes the first line off a text, without its end.
func (p *pattern) cut(rest *[]byte) (line []byte) {
	end := bytes.IndexByte(*rest, p.lineEnd)
	if end < 0 {
		line, *rest = *rest, nil
		return line
	}
	line, *rest = (*rest)[:end], (*rest)[end+1:]
	return line
}

// skip is how many bytes some fields and the delimiters behind them take; ok is false where the line ends before, or a
// quote is in another place than around a field.
func (p *pattern) skip(line []byte, fields int) (n int, ok bool) {
	for range fields {
		if n < len(line) && line[n] == '"' {
			end := bytes.IndexByte(line[n+1:], '"')
			if end < 0 {
				return n, false
			}
			if n += end + 2; n < len(line) && line[n] != p.between {
				return n, false
			}
		}
		end := bytes.IndexByte(line[n:], p.between)
		if end < 0 {
			return n, false
		}
		n += end + 1
	}
	return n, true
}

// takeAlike reads a form by the pattern of the one before; quick is false where it does not look like that.
func (w *worker) takeAlike(f *form, c *source.Cells) (quick bool, err error) {
	p := w.pattern
	if p == nil || !c.Plain || c.Guessed != "" || c.Manner() != p.manner || !w.readAlike(f, c) {
		return false, nil
	}
	w.alike++
	f.layout = p.layout
	f.read = len(w.dense.coefficients)
	f.numbers = f.read - f.blank
	f.area = p.layout.blocks[0].area
	return true, w.put(f, &w.dense)
}

// readAlike reads the figures of a form by the pattern.
func (w *worker) readAlike(f *form, c *source.Cells) bool {
	p, d := w.pattern, &w.dense
	b := &p.layout.blocks[0]
	width, rest, proven := len(b.columns), c.Text, c.Manner().Decimal != 0
	d.room(len(b.rows) * width)
	from := 0
	for i := range p.lines {
		l := &p.lines[i]
		switch {
		case len(rest) == 0:
			return false
		case !bytes.HasPrefix(rest, l.text):
			if l.figures || i+1 >= p.labelled || !p.isRemark(p.cut(&rest)) {
				return false
			}
			continue
		}
		at := len(l.text)
		if l.figures {
			n, tells, ok := p.figures(rest[at:], d, from, from+width)
			at, from, proven = at+n, from+width, proven || tells
			if !ok || !bytes.HasPrefix(rest[at:], l.behind) {
				return false
			}
			at += len(l.behind)
		}
		switch {
		case at == len(rest):
			rest = nil
		case rest[at] == p.lineEnd:
			rest = rest[at+1:]
		case l.figures || i+1 >= p.labelled || !p.isRemark(p.cut(&rest)):
			return false
		}
	}
	if len(rest) > 0 || from != len(b.rows)*width {
		return false
	}
	if d.level(); d.fails {
		return false
	}
	return w.countAlike(f, proven, width)
}

// countAlike counts the figures of a form that was read by the pattern, and makes sure of what holds for the form of
// the pattern: that they fill its area to the border where that was found, and that the decimal mark is proven.
func (w *worker) countAlike(f *form, proven bool, width int) bool {
	p, d := w.pattern, &w.dense
	n, marked := len(d.scales), d.scale > 0
	if marked && !proven || p.decimal != '.' && !marked || d.largest > math.MaxInt64/int64(n) {
		return false
	}
	if p.areas && d.blanks > 0 {
		first, last, left, right := false, false, false, false
		for i, scale := range d.scales {
			if scale != blankScale {
				first, last = first || i < width, last || i >= n-width
				left, right = left || i%width == 0, right || i%width == width-1
			}
		}
		if !first || !last || !left || !right {
			return false
		}
	}
	f.blank, f.total = d.blanks, amount.Sum{}
	f.total.Add(amount.New(d.total, int(d.scale)))
	return true
}

// isRemark tells whether nothing in a line above the labels is an amount, so that it may be another one in each form.
func (p *pattern) isRemark(line []byte) bool {
	if bytes.IndexByte(line, '"') >= 0 {
		return false
	}
	for field := range bytes.SplitSeq(line, []byte{p.between}) {
		if field = bytes.TrimSpace(field); len(field) == 0 {
			continue
		}
		if _, err := amount.Parse(field, p.decimal); err == nil || bytes.IndexByte(field, '%') >= 0 {
			return false
		}
	}
	return true
}

// figures reads the figures of a line into places of a dense form; they are plain: digits, with a minus before them and
// a decimal mark within. n is how many bytes they take. ok is false of any other. tells says that one of them
// proves the mark, as three digits behind it do not.
func (p *pattern) figures(text []byte, d *densely, from, to int) (n int, tells, ok bool) {
	coefficients, scales := d.coefficients[from:to], d.scales[from:to]
	scales = scales[:len(coefficients)]
	between, decimal, usual := p.between, p.decimal, int(d.scale)
	i, total, largest := 0, int64(0), d.largest
	for field := range coefficients {
		if field > 0 {
			if i >= len(text) || text[i] != between {
				return i, false, false
			}
			i++
		}
		negative := i < len(text) && text[i] == '-'
		if negative {
			i++
		}
		coefficient, whole := digits(text[i:])
		first := i
		if i += whole; whole == 0 {
			if negative || i < len(text) && text[i] != between && text[i] != p.lineEnd && text[i] != '\r' {
				return i, false, false
			}
			coefficients[field], scales[field] = 0, blankScale
			d.blanks++
			continue
		}
		scale := 0
		if i < len(text) && text[i] == decimal {
			i++
			if fraction, ok := hundredths(text[i:]); ok { // as money has
				coefficient, scale = 100*coefficient+fraction, 2
			} else {
				if fraction, scale = digits(text[i:]); scale == 0 || scale == 3 || scale > mostDense {
					return i, false, false
				}
				coefficient = coefficient*powers[scale] + fraction
			}
			i, tells = i+scale, true
		}
		const mostDigits = 15
		if whole+scale > mostDigits || whole > 1 && text[first] == '0' {
			return i, false, false
		}
		largest = max(largest, coefficient)
		if negative {
			coefficient = -coefficient
		}
		coefficients[field], scales[field] = coefficient, byte(scale)
		total += coefficient
		if scale != usual || !d.numbers {
			d.rescale(byte(scale))
			usual = int(d.scale)
		}
	}
	d.total, d.largest = d.total+total, largest
	return i, tells, true
}

// hundredths reads two digits with something else behind them.
func hundredths(text []byte) (value int64, ok bool) {
	if len(text) < 3 {
		return 0, false
	}
	tens, ones, next := text[0]-'0', text[1]-'0', text[2]-'0'
	return 10*int64(tens) + int64(ones), tens <= 9 && ones <= 9 && next > 9
}

// digits reads the digits that a text begins with; n is how many they are, and of more than 15 the value says nothing.
// Eight at a time are told from other characters, and made a number, in one word.
func digits(text []byte) (value int64, n int) {
	const zeros, word = 0x3030303030303030, 8
	if len(text) >= word {
		x := binary.LittleEndian.Uint64(text) ^ zeros
		other := (x + 0x7676767676767676 | x) & 0x8080808080808080 // of a byte above nine
		n = bits.TrailingZeros64(other) / 8
		if n == 0 {
			return 0, 0
		}
		x <<= (word - n) * 8 & 63
		if n == word {
			x = binary.LittleEndian.Uint64(text) ^ zeros
		}
		x = x*10 + x>>8
		const low = 0x000000ff000000ff
		value = int64(((x&low)*(100+1_000_000<<32) + (x>>16&low)*(1+10_000<<32)) >> 32 & 0xffffffff)
		if n < word {
			return value, n
		}
		text = text[word:]
	}
	for n0 := 0; n0 < len(text) && text[n0]-'0' <= 9; n0++ {
		value = 10*value + int64(text[n0]-'0')
		n++
	}
	return value, n
}
