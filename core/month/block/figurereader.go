package block

import (
	"bufio"
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/klauspost/compress/zstd"
)

// figuresOf calls visit for each line of figures that stands with a block itself, or for those that a filter keeps, and
// perhaps others.
func (c *Chain) figuresOf(e *Entry, keeps *filter, visit func(*Figure) error) error {
	if e.Figures.Name == "" {
		return nil
	}
	return c.open(e, e.Figures, "figures", func(packed io.Reader) error {
		return e.readFigures(&figureLines{in: bufio.NewReaderSize(packed, 64<<10), filter: keeps}, visit)
	})
}

// open opens a packed file beside a block, which is what it is called in an error. The error is a *BrokenError where it
// is not as it was sealed, or what reading or read returned.
func (c *Chain) open(e *Entry, f File, what string, read func(io.Reader) error) error {
	file, err := os.Open(filepath.Join(c.Folder, f.Name))
	if err != nil {
		return err
	}
	defer file.Close()
	hash := sha256.New()
	if _, err := io.Copy(hash, file); err != nil {
		return err
	}
	if hex.EncodeToString(hash.Sum(nil)) != f.SHA256 {
		return c.broken(e.Number, "its %s in %s were changed", what, f.Name)
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	packed := unpackers.Get().(*zstd.Decoder)
	defer func() {
		_ = packed.Reset(nil) // which leaves the file
		unpackers.Put(packed)
	}()
	if err := packed.Reset(file); err != nil {
		return err
	}
	return read(packed)
}

// unpackers are kept: what one has room for takes longer to clear than many a file to unpack.
var unpackers = sync.Pool{New: func() any {
	unpacker, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true))
	if err != nil {
		panic(err) // of an option, which has none
	}
	return unpacker
}}

// lost says that a file is gone of which a block shows something of some sources.
func (c *Chain) lost(e, in *Entry, what string, f File, err error) error {
	if of := new(LostError); !errors.Is(err, fs.ErrNotExist) || errors.As(err, &of) {
		return err
	}
	sources := e.SourceCount - e.countEarlier()
	for i := range e.Earlier {
		if e.Earlier[i].Number == in.Number {
			sources = e.Earlier[i].Figures
		}
	}
	return &LostError{Number: e.Number, What: what, Name: filepath.Join(c.Folder, f.Name), In: in.Number,
		Sources: sources, Of: e.SourceCount}
}

// sifted is a line of figures without quotes, before it is read.
type sifted struct {
	kind                       Kind
	result, source, line, rest []byte // rest is what stands behind the source
}

// filter tells which lines are read.
type filter struct {
	wanted func(*sifted) bool
	// lacks tells whether a line of OfWithin is not wanted although others of its source may be; nil where wanted says
	// all.
	lacks func(line []byte) bool
	// until ends the reading before the first line of a kind; "" for none.
	until Kind
}

// errEnough ends the reading of figures of which nothing more is wanted.
var errEnough = errors.New("enough was read")

// figureLines are the lines of figures that somebody wants, and perhaps others.
type figureLines struct {
	in     *bufio.Reader
	filter *filter // nil for all
	long   []byte  // a line that the buffer does not hold as a whole
	before []byte  // the begin of the last line of OfWithin, up to its source
	sifted sifted  // the line
}

// next gives the next line, with its line end, which is good until it is called again. A line ends where no quotes are
// open.
func (l *figureLines) next() (line []byte, err error) {
	for {
		line, err = l.in.ReadSlice('\n')
		if l.filter != nil && l.filter.until != "" && bytes.HasPrefix(line, []byte(l.filter.until)) {
			return nil, errEnough
		}
		if err == nil && bytes.IndexByte(line, '"') < 0 {
			if l.filter == nil || l.keeps(line) {
				return line, nil
			}
			continue
		}
		l.long = append(l.long[:0], line...)
		for errors.Is(err, bufio.ErrBufferFull) || err == nil && bytes.Count(l.long, []byte{'"'})%2 == 1 {
			line, err = l.in.ReadSlice('\n')
			l.long = append(l.long, line...)
		}
		if len(l.long) > 0 && errors.Is(err, io.EOF) {
			err = nil
		}
		return l.long, err
	}
}

// keeps tells whether a line may be wanted.
func (l *figureLines) keeps(line []byte) bool {
	if l.filter.lacks != nil && len(l.before) > 0 && bytes.HasPrefix(line, l.before) && l.filter.lacks(line) {
		return false
	}
	of := &l.sifted
	of.line = line
	kind, rest, _ := bytes.Cut(line, []byte{','})
	of.result, rest, _ = bytes.Cut(rest, []byte{','})
	of.source, rest, _ = bytes.Cut(rest, []byte{','})
	of.rest = rest
	if l.before = l.before[:0]; string(kind) == string(OfWithin) {
		l.before = append(l.before, line[:len(line)-len(rest)]...)
	}
	for i := range kinds {
		if of.kind = kinds[i]; string(kind) == string(of.kind) {
			return l.filter.wanted(of)
		}
	}
	return true // the header
}

// cellsOf takes a line apart.
func cellsOf(line []byte, cells []string) ([]string, error) {
	if bytes.IndexByte(line, '"') >= 0 {
		return csv.NewReader(bytes.NewReader(line)).Read()
	}
	cells = cells[:0]
	for rest, more := strings.TrimSuffix(string(line), "\n"), true; more; {
		var cell string
		cell, rest, more = strings.Cut(rest, ",")
		cells = append(cells, cell)
	}
	return cells, nil
}

func (b *Block) readFigures(lines *figureLines, visit func(*Figure) error) error {
	columns := b.figureColumns()
	header := columns.header()
	line, err := lines.next()
	cells, errCells := cellsOf(line, nil)
	// Columns that this version does not know stand behind the others.
	if err = errors.Join(err, errCells); err != nil || len(cells) < len(header) ||
		!slices.Equal(cells[:len(header)], header) {
		return errors.Join(fmt.Errorf("the figures of block %d have other columns than it says", b.Number), err)
	}
	figure, width := new(Figure), len(cells)
	for {
		if line, err = lines.next(); errors.Is(err, io.EOF) || errors.Is(err, errEnough) {
			return nil
		}
		if err == nil {
			cells, err = cellsOf(line, cells)
		}
		if err == nil && len(cells) != width {
			err = fmt.Errorf("the figures of block %d have a line of %d columns among others of %d", b.Number,
				len(cells), width)
		}
		if err == nil && !slices.Contains(kinds, Kind(cells[0])) {
			continue // which this version does not know
		}
		if err == nil {
			err = b.readFigure(figure, cells[:len(header)], &columns)
		}
		if err == nil {
			err = visit(figure)
		}
		if err != nil {
			return err
		}
	}
}

func (b *Block) readFigure(f *Figure, cells []string, columns *figureColumns) (err error) {
	*f = Figure{Kind: Kind(cells[0]), Source: cells[2], Group: f.Group[:0], Totals: f.Totals[:0]}
	if cells[1] != "" {
		if f.Result, err = strconv.Atoi(cells[1]); err != nil || f.Result > len(b.Results) {
			return fmt.Errorf("the figures of block %d speak of result %q", b.Number, cells[1])
		}
	}
	if f.Result == 0 && f.Kind != OfRead {
		return fmt.Errorf("the figures of block %d have a line of %q of no result", b.Number, f.Kind)
	}
	read, rest := cells[3:3+len(columns.read)], cells[3+len(columns.read):]
	by, totals := b.namesOf(f.Result)
	for _, name := range by {
		f.Group = append(f.Group, rest[slices.Index(columns.by, name)])
	}
	if f.Kind != OfGroup && f.Kind != OfWithin {
		f.Group = f.Group[:0]
	}
	rest = rest[len(columns.by):]
	if f.Rows, err = strconv.Atoi(rest[0]); err != nil {
		return err
	}
	for _, name := range totals {
		f.Totals = append(f.Totals, rest[1+slices.Index(columns.totals, name)])
	}
	if columns.placed {
		f.Place = cells[len(cells)-1]
	}
	if f.Kind != OfRead {
		f.Print = read[slices.Index(columns.read, "fingerprint")]
		return nil
	}
	s := &Source{File: File{read[0], read[1]}, Source: f.Source, Fingerprint: read[2], Query: read[3], Entity: read[6],
		Period: read[7], Rows: f.Rows}
	if s.Size, err = strconv.ParseInt(read[4], 10, 64); err != nil {
		return err
	}
	if s.Layout, err = strconv.Atoi(read[5]); err != nil {
		return err
	}
	if len(read) > len(readColumns) {
		s.States = read[9]
		s.Retained, err = strconv.Atoi(read[8])
	}
	f.Read = s
	return err
}

// givenIn are the fingerprints of what sources gave to results, as a block says it: by what the result is called, and
// by source.
type givenIn map[string]map[string]string

// sourcesOfFigures are the sources that stand in a block, as its figures list them; what they gave is noted beside.
func (c *Chain) sourcesOfFigures(e *Entry) (sources []Source, err error) {
	sources, given := []Source{}, make(givenIn)
	isHead := func(l *sifted) bool { return l.kind == OfRead || l.kind == OfGiven }
	err = c.figuresOf(e, &filter{wanted: isHead, until: OfWithin}, func(f *Figure) error {
		switch f.Kind {
		case OfRead:
			sources = append(sources, f.source(e))
		case OfGiven:
			of := e.Results[f.Result-1].called()
			if given[of] == nil {
				given[of] = make(map[string]string)
			}
			given[of][f.Source] = f.Print
		}
		return nil
	})
	if err == nil && e.Version > 2 {
		if c.given == nil {
			c.given = make(map[int]givenIn)
		}
		c.given[e.Number] = given
	}
	return sources, c.lost(e, e, "figures", e.Figures, err)
}

// source is the source that a line of OfRead tells.
func (f *Figure) source(e *Entry) Source {
	s := *f.Read
	totals := e.Totals
	if f.Result > 0 {
		r := &e.Results[f.Result-1]
		s.Of, totals = cmp.Or(r.Title, r.Command), r.Totals
	}
	for i := range totals {
		s.Totals = append(s.Totals, Total{totals[i].Column, f.Totals[i]})
	}
	return s
}
