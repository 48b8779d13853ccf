package overlay

import (
	"encoding/binary"
	"math"
	"slices"

	"lastblock/core/value/amount"
)

// A form of which every figure is blank or a number that fits into 64 bits is kept densely: the coefficients at one
// scale, in the order of its cells, and behind them a byte for each with the scale that it was written with. So forms
// of one layout are added up by a loop over whole numbers.
const (
	blankScale = 0xff
	mostDense  = 8       // digits behind the decimal mark
	mostWhole  = 1 << 53 // that a coefficient may have; so thousands of forms can be added before a sum is put down
)

// powers are those of ten.
var powers = [...]int64{1, 10, 100, 1000, 10_000, 100_000, 1_000_000, 10_000_000, 100_000_000}

// densely is a form that is being encoded densely.
type densely struct {
	coefficients []int64
	scales       []byte
	scale        byte // the largest
	numbers      bool // there is one
	mixed        bool // numbers have several scales
	blanks       int
	largest      int64 // of the coefficients, without its sign
	total        int64 // of them
	fails        bool  // a value cannot be kept so
}

// room begins again, with so many cells.
func (d *densely) room(n int) {
	d.reset()
	d.coefficients = slices.Grow(d.coefficients, n)[:n]
	d.scales = slices.Grow(d.scales, n)[:n]
}

func (d *densely) reset() { *d = densely{coefficients: d.coefficients[:0], scales: d.scales[:0]} }

// add adds a value.
func (d *densely) add(v *value) {
	switch {
	case v.state == blank:
		d.blank()
		return
	case v.state == number:
		if coefficient, scale, ok := v.amount.Plain(); ok && 0 <= scale && scale <= mostDense {
			d.number(coefficient, byte(scale))
			return
		}
	}
	d.fails = true
}

func (d *densely) blank() {
	d.coefficients, d.scales = append(d.coefficients, 0), append(d.scales, blankScale)
	d.blanks++
}

func (d *densely) number(coefficient int64, scale byte) {
	if scale != d.scale || !d.numbers {
		d.rescale(scale)
	}
	d.coefficients, d.scales = append(d.coefficients, coefficient), append(d.scales, scale)
	d.largest, d.total = max(d.largest, coefficient, -coefficient), d.total+coefficient
}

// rescale takes in that a number of another scale comes.
func (d *densely) rescale(scale byte) {
	d.mixed = d.mixed || d.numbers
	d.scale, d.numbers = max(d.scale, scale), true
}

// level brings all coefficients to one scale.
func (d *densely) level() {
	if d.fails = d.fails || d.largest >= mostWhole; !d.mixed || d.fails {
		return
	}
	d.total = 0
	for i, scale := range d.scales {
		if scale == blankScale {
			continue
		}
		power := powers[d.scale-scale]
		if c := d.coefficients[i]; c >= mostWhole/power || c <= -mostWhole/power {
			d.fails = true
			return
		}
		d.coefficients[i] *= power
		d.total += d.coefficients[i]
		d.largest = max(d.largest, d.coefficients[i], -d.coefficients[i])
	}
}

// isDense is the first byte of a form that is kept densely; no state is that.
const isDense = 0xff

// word is how many bytes a coefficient takes.
func (d *densely) word() int {
	if d.largest > math.MaxInt32 {
		return 8
	}
	return 4
}

// isEven tells whether all figures are there, with one scale.
func (d *densely) isEven() bool { return d.blanks == 0 && !d.mixed }

const denseHead = 4 // bytes before the coefficients

// size is how many bytes the form takes.
func (d *densely) size() int {
	n := len(d.coefficients)
	size := denseHead + n*d.word()
	if !d.isEven() {
		size += n
	}
	return size
}

// append appends the form.
func (d *densely) append(dst []byte) []byte {
	even := byte(0)
	if d.isEven() {
		even = 1
	}
	dst = append(dst, isDense, d.scale, byte(d.word()), even)
	if d.word() == 4 {
		for _, c := range d.coefficients {
			dst = binary.LittleEndian.AppendUint32(dst, uint32(int32(c)))
		}
	} else {
		for _, c := range d.coefficients {
			dst = binary.LittleEndian.AppendUint64(dst, uint64(c))
		}
	}
	if even == 1 {
		return dst
	}
	return append(dst, d.scales...)
}

// dense is a form that was kept densely.
type dense struct {
	scale  int
	word   int
	values []byte
	scales []byte // nil where all figures are there with the scale of all
}

// takeDense decodes one; ok is false of another form.
func takeDense(data []byte) (d dense, ok bool) {
	if len(data) == 0 || data[0] != isDense {
		return d, false
	}
	d = dense{scale: int(data[1]), word: int(data[2]), values: data[denseHead:]}
	if isEven := data[3] == 1; !isEven {
		n := len(d.values) / (d.word + 1)
		d.values, d.scales = d.values[:n*d.word], d.values[n*d.word:]
	}
	return d, true
}

// at is a coefficient, at the scale of all.
func (d *dense) at(cell int) int64 {
	if d.word == 4 {
		return int64(int32(binary.LittleEndian.Uint32(d.values[4*cell:])))
	}
	return int64(binary.LittleEndian.Uint64(d.values[8*cell:]))
}

// addTo puts the coefficients from a cell on into one list and adds them to another, and returns what they come to.
func (d *dense) addTo(sums, each []int64, from int) (total int64) {
	each = each[:len(sums)]
	if d.word == 4 {
		values := d.values[4*from : 4*(from+len(sums))]
		for i := range sums {
			c := int64(int32(binary.LittleEndian.Uint32(values[4*i:])))
			each[i] = c
			sums[i] += c
			total += c
		}
		return total
	}
	values := d.values[8*from : 8*(from+len(sums))]
	for i := range sums {
		c := int64(binary.LittleEndian.Uint64(values[8*i:]))
		each[i] = c
		sums[i] += c
		total += c
	}
	return total
}

// value is a value as it was written.
func (d *dense) value(cell int) value {
	scale := byte(d.scale)
	if d.scales != nil {
		scale = d.scales[cell]
	}
	if scale == blankScale {
		return value{}
	}
	return value{state: number, amount: amount.New(d.at(cell)/powers[d.scale-int(scale)], int(scale))}
}

// reader reads the values of a form one after another, however they are kept.
type reader struct {
	data   []byte
	dense  dense
	packed bool
	cell   int
}

func newReader(data []byte) *reader {
	r := &reader{data: data}
	r.dense, r.packed = takeDense(data)
	return r
}

func (r *reader) next() (v value, err error) {
	if r.packed {
		v = r.dense.value(r.cell)
		r.cell++
		return v, nil
	}
	v, r.data, err = takeValue(r.data)
	return v, err
}

// lane adds up dense forms that are laid out alike and whose figures have one scale.
type lane struct {
	to     *mapping
	cells  []int // of the result, by cell of the layout
	whole  bool  // every cell is one of figures, and is added to one of the result
	same   bool  // the cells are those of the result, in its order
	scale  int
	sums   []int64
	counts []int
	filled int    // forms in which no cell is blank
	scales []byte // the largest of each cell, blankScale where none has a number
	most   int64  // that a sum may have come to
}

// laneOf is the lane of a form, nil where it is added cell by cell.
func (a *adder) laneOf(f *form, scale int) *lane {
	key := laneKey{f.layout, f.to, scale}
	if l, ok := a.lanes[key]; ok {
		return l
	}
	l := &lane{to: f.to, whole: true, scale: scale, sums: make([]int64, f.layout.cells),
		counts: make([]int, f.layout.cells),
		scales: make([]byte, f.layout.cells)}
	for i := range l.scales {
		l.scales[i] = blankScale
	}
	for b := range f.layout.blocks {
		block, to := &f.layout.blocks[b], &a.run.grid.blocks[b]
		for i := range block.rows {
			for k := range block.columns {
				row, column := f.to[Rows][b][i], f.to[Columns][b][k]
				if row < 0 || column < 0 {
					l.whole = false
					continue
				}
				cell := to.offset + row*len(to.columns) + column
				l.whole = l.whole && !slices.Contains(l.cells, cell) // else two cells are added to one
				l.cells = append(l.cells, cell)
			}
		}
	}
	l.same = len(l.cells) == a.run.grid.cells && slices.IsSorted(l.cells)
	if !l.whole {
		l = nil
	}
	if a.lanes == nil {
		a.lanes = make(map[laneKey]*lane)
	}
	a.lanes[key] = l
	return l
}

// laneKey is what forms have in common that are added up in one lane.
type laneKey struct {
	layout *layout
	to     *mapping
	scale  int
}

// addDense adds a dense form; ok is false where it has to be added cell by cell.
func (a *adder) addDense(f *form, g *given, d *dense) (ok bool) {
	l := a.laneOf(f, d.scale)
	if l == nil {
		return false
	}
	if l.most > math.MaxInt64/2-mostWhole {
		a.putDown(l)
	}
	l.most += mostWhole
	const few = 512 // whose sum fits into 64 bits
	n := len(l.sums)
	a.each = slices.Grow(a.each[:0], n)[:n]
	for from := 0; from < n; from += few {
		to := min(from+few, n)
		g.used.Add(amount.New(d.addTo(l.sums[from:to], a.each[from:to], from), d.scale))
	}
	g.read = g.used
	g.Read, g.Blank, g.Used = n, f.blank, n-f.blank
	l.count(d)
	return true
}

// count counts the cells that a form has filled, and notes with which scales.
func (l *lane) count(d *dense) {
	if d.scales == nil {
		l.filled++
		return
	}
	for i, scale := range d.scales {
		if scale == blankScale {
			continue
		}
		l.counts[i]++
		if l.scales[i] == blankScale || l.scales[i] < scale {
			l.scales[i] = scale
		}
	}
}

// putDown adds what a lane has come to to the totals.
func (a *adder) putDown(l *lane) {
	for i, cell := range l.cells {
		a.from[cell] += l.counts[i] + l.filled
		scale := l.scales[i]
		if l.filled > 0 {
			scale = byte(l.scale) // that of all forms in which every figure has it
		}
		if scale != blankScale {
			sum := amount.New(l.sums[i]/powers[l.scale-int(scale)], int(scale))
			a.totals[cell].Add(sum)
		}
		l.counts[i] = 0
	}
	clear(l.sums)
	l.filled, l.most = 0, 0
}

// judgeDense tells in how many cells a form without blanks foots.
func (f *footing) judgeDense(g *grid, vector, sums []int64) (foots, fails int) {
	b := &g.blocks[f.block]
	width := len(b.columns)
	if f.axis == Rows {
		sums = sums[:width]
		copy(sums, vector[b.offset+f.total*width:])
		for _, part := range f.parts {
			row := vector[b.offset+part*width : b.offset+(part+1)*width]
			for i, c := range row {
				sums[i] -= c
			}
		}
	} else {
		sums = sums[:len(b.rows)]
		for i := range sums {
			row := vector[b.offset+i*width : b.offset+(i+1)*width]
			sum := row[f.total]
			for _, part := range f.parts {
				sum -= row[part]
			}
			sums[i] = sum
		}
	}
	for _, by := range sums {
		if by != 0 {
			fails++
		}
	}
	return len(sums) - fails, fails
}
