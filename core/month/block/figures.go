package block

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/csv"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"crypto/sha256"

	"github.com/klauspost/compress/zstd"
)

// The figures of a block are CSV, packed with Zstandard: of each source what was read of it, and of each result
// what it came to by group, and what each source gave.

// Kind says what a line of figures is about.
type Kind string

// The kinds of figures.
const (
	OfRead   Kind = "read"   // a source, as it was read
	OfGiven  Kind = "given"  // what a source gave to a result
	OfGroup  Kind = "group"  // what a group of a result came to
	OfWithin Kind = "within" // what a source gave to a group
)

var kinds = []Kind{OfRead, OfGiven, OfGroup, OfWithin}

// Figure is a line of figures.
type Figure struct {
	Kind   Kind
	Result int      // place among the results of the block, from 1; 0 of what was read, but for forms of a result
	Source string   // "" of all together
	Group  []string // values of the columns By of the result; nil of all groups together
	Rows   int
	// Place is where in the source they stand, of OfWithin: a line, two lines as 4-18, or a cell; "" where that is not
	// known.
	Place  string
	Totals []string // of the result, or of what was read; exact decimals
	Read   *Source  // of what was read, without its totals
}

// readColumns stand behind the first three.
var readColumns = []string{"file", "sha256", "fingerprint", "query", "size", "layout", "entity", "period"}

// placeColumn stands last. Figures of blocks of version 1 have no such column.
const placeColumn = "place"

// figureColumns are the columns of figures: where groups and totals stand.
type figureColumns struct {
	by, totals []string
	placed     bool
}

func (b *Block) figureColumns() (c figureColumns) {
	add := func(to *[]string, names ...string) {
		for _, name := range names {
			if !slices.Contains(*to, name) {
				*to = append(*to, name)
			}
		}
	}
	c.placed = b.Version != 1
	add(&c.totals, columnsOf(b.Totals)...)
	for i := range b.Results {
		add(&c.by, b.Results[i].By...)
		add(&c.totals, columnsOf(b.Results[i].Totals)...)
	}
	return c
}

func columnsOf(totals []Total) (names []string) {
	for _, t := range totals {
		names = append(names, t.Column)
	}
	return names
}

func (c *figureColumns) header() []string {
	names := slices.Concat([]string{"figure", "result", "source"}, readColumns, c.by, []string{"rows"}, c.totals)
	if c.placed {
		names = append(names, placeColumn)
	}
	return names
}

// FigureWriter writes figures.
type FigureWriter struct {
	block   *Block
	columns figureColumns
	csv     *csv.Writer
	cells   []string
}

// WriteFigures begins to write figures: the header, and the lines of the sources, which b lists. All results
// stand in b already, but for their files.
func (b *Block) WriteFigures(w io.Writer) (*FigureWriter, error) {
	f := &FigureWriter{block: b, columns: b.figureColumns(), csv: csv.NewWriter(w)}
	err := f.csv.Write(f.columns.header())
	for i := range b.Sources {
		s := &b.Sources[i]
		var totals []string
		for _, t := range s.Totals {
			totals = append(totals, t.Amount)
		}
		err = errors.Join(err, f.Write(&Figure{Kind: OfRead, Result: b.resultOf(s), Source: s.Source, Rows: s.Rows,
			Totals: totals, Read: s}))
	}
	return f, err
}

// resultOf is the place, from 1, of the result whose form a source is; 0 for a source that all results share.
func (b *Block) resultOf(s *Source) int {
	return 1 + slices.IndexFunc(b.Results, func(r Result) bool {
		return s.Of != "" && r.As == "" && r.isCalled(s.Of)
	})
}

// isCalled tells whether a result has a name, or that of its command where it has none.
func (r *Result) isCalled(name string) bool { return cmp.Or(r.Title, r.Command) == name }

// Write writes a line.
func (f *FigureWriter) Write(figure *Figure) error {
	f.cells = append(f.cells[:0], string(figure.Kind), "", figure.Source)
	if figure.Result > 0 {
		f.cells[1] = strconv.Itoa(figure.Result)
	}
	if s := figure.Read; s != nil {
		f.cells = append(f.cells, s.Name, s.SHA256, s.Fingerprint, s.Query, strconv.FormatInt(s.Size, 10),
			strconv.Itoa(s.Layout), s.Entity, s.Period)
	} else {
		f.cells = append(f.cells, make([]string, len(readColumns))...)
	}
	by, totals := f.block.namesOf(figure.Result)
	for _, name := range f.columns.by {
		f.cells = append(f.cells, valueOf(name, by, figure.Group))
	}
	f.cells = append(f.cells, strconv.Itoa(figure.Rows))
	for _, name := range f.columns.totals {
		f.cells = append(f.cells, valueOf(name, totals, figure.Totals))
	}
	return f.csv.Write(append(f.cells, figure.Place))
}

// Flush writes what is left.
func (f *FigureWriter) Flush() error {
	f.csv.Flush()
	return f.csv.Error()
}

// namesOf are the columns of the groups and of the totals of a result, or of what was read.
func (b *Block) namesOf(result int) (by, totals []string) {
	if result == 0 {
		return nil, columnsOf(b.Totals)
	}
	return b.Results[result-1].By, columnsOf(b.Results[result-1].Totals)
}

// valueOf is the value of a name, "" for one that has none.
func valueOf(name string, names, values []string) string {
	if at := slices.Index(names, name); at >= 0 && at < len(values) {
		return values[at]
	}
	return ""
}

// Figures calls visit for each line of the figures of a block, of those of OfWithin and OfGiven only for sources that
// isWanted, nil for all. What visit is given is good until it returns. The error is a *BrokenError where the file is
// not as it was sealed, or what reading it or visit returned.
func (c *Chain) Figures(e *Entry, isWanted func(source string) bool, visit func(*Figure) error) error {
	if isWanted == nil {
		return c.figures(e, nil, visit)
	}
	wanted := func(l *sifted) bool {
		return l.kind != OfWithin && l.kind != OfGiven || isWanted(string(l.source))
	}
	return c.figures(e, &filter{wanted: wanted}, func(f *Figure) error {
		if (f.Kind == OfWithin || f.Kind == OfGiven) && !isWanted(f.Source) {
			return nil
		}
		return visit(f)
	})
}

// figures is Figures for lines that a filter keeps, and perhaps others; nil for all.
func (c *Chain) figures(e *Entry, keeps *filter, visit func(*Figure) error) error {
	if e.Figures.Name == "" {
		return nil
	}
	return c.open(e, e.Figures, "figures", func(packed io.Reader) error {
		if keeps == nil {
			return e.readFigures(packed, visit)
		}
		return e.readFigures(&sieve{in: bufio.NewReaderSize(packed, 64<<10), filter: keeps}, visit)
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
	packed, err := zstd.NewReader(file)
	if err != nil {
		return err
	}
	defer packed.Close()
	return read(packed)
}

// sifted is a line of figures without quotes, before it is read.
type sifted struct {
	kind                 Kind
	result, source, line []byte
}

// filter tells which lines are read.
type filter struct {
	wanted func(*sifted) bool
	// lacks tells whether a line of OfWithin is not wanted although others of its source may be; nil where wanted says
	// all.
	lacks func(line []byte) bool
}

// sieve leaves out most lines that nobody wants before they are read as CSV, which is what takes time.
type sieve struct {
	in     *bufio.Reader
	filter *filter
	line   []byte // what is left of the line
	before []byte // the begin of the last line of OfWithin, up to its source
	inside bool   // a line: within quotes, which may hold line ends, or behind what the buffer held of it
	quoted bool
}

func (s *sieve) Read(p []byte) (int, error) {
	for len(s.line) == 0 {
		line, err := s.in.ReadSlice('\n')
		if len(line) == 0 {
			return 0, err
		}
		if !s.inside && !s.keeps(line) {
			continue
		}
		if bytes.Count(line, []byte{'"'})%2 == 1 {
			s.quoted = !s.quoted
		}
		s.line, s.inside = line, s.quoted || line[len(line)-1] != '\n'
	}
	n := copy(p, s.line)
	s.line = s.line[n:]
	return n, nil
}

// keeps tells whether a line may be wanted.
func (s *sieve) keeps(line []byte) bool {
	if bytes.IndexByte(line, '"') >= 0 || line[len(line)-1] != '\n' {
		return true
	}
	if s.filter.lacks != nil && len(s.before) > 0 && bytes.HasPrefix(line, s.before) && s.filter.lacks(line) {
		return false
	}
	l := sifted{line: line}
	kind, rest, _ := bytes.Cut(line, []byte{','})
	l.result, rest, _ = bytes.Cut(rest, []byte{','})
	l.source, rest, _ = bytes.Cut(rest, []byte{','})
	if s.before = s.before[:0]; string(kind) == string(OfWithin) {
		s.before = append(s.before, line[:len(line)-len(rest)]...)
	}
	for _, l.kind = range kinds {
		if string(kind) == string(l.kind) {
			return s.filter.wanted(&l)
		}
	}
	return true // the header
}

func (b *Block) readFigures(r io.Reader, visit func(*Figure) error) error {
	in := csv.NewReader(r)
	in.ReuseRecord = true
	columns := b.figureColumns()
	header, err := in.Read()
	if err != nil || !slices.Equal(header, columns.header()) {
		return errors.Join(fmt.Errorf("the figures of block %d have other columns than it says", b.Number), err)
	}
	figure := new(Figure)
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = b.readFigure(figure, cells, &columns)
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
	read, rest := cells[3:3+len(readColumns)], cells[3+len(readColumns):]
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
		return nil
	}
	s := &Source{File: File{read[0], read[1]}, Source: f.Source, Fingerprint: read[2], Query: read[3], Entity: read[6],
		Period: read[7], Rows: f.Rows}
	if s.Size, err = strconv.ParseInt(read[4], 10, 64); err != nil {
		return err
	}
	s.Layout, err = strconv.Atoi(read[5])
	f.Read = s
	return err
}

// sourcesOfFigures are the sources of a block that has too many to list them itself.
func (c *Chain) sourcesOfFigures(e *Entry) (sources []Source, err error) {
	isRead := func(l *sifted) bool { return l.kind == OfRead }
	err = c.figures(e, &filter{wanted: isRead}, func(f *Figure) error {
		if f.Kind != OfRead {
			return nil
		}
		sources = append(sources, f.source(e))
		return nil
	})
	return sources, err
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
