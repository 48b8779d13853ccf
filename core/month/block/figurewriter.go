package block

import (
	"cmp"
	"encoding/csv"
	"errors"
	"io"
	"maps"
	"slices"
	"strconv"

	"lastblock/core/large/prints"
	"lastblock/core/value/natural"
)

// FigureWriter writes figures. What a source gave to a result is left out where an earlier block has it, which is known
// by its fingerprint.
type FigureWriter struct {
	block   *Block
	columns figureColumns
	base    *Base
	csv     *csv.Writer
	cells   []string

	has   map[string]bool // sources of the block, here or in earlier ones
	given []givenTo       // by result, from 1

	printer Printer
}

// givenTo is what sources gave to a result.
type givenTo struct {
	order []*givenBy
	place map[string]int // of a source, among order
}

// givenBy is what a source gave.
type givenBy struct {
	Figure
	print prints.Sum
	in    int // the earlier block that has it, 0 for none
}

// WriteFigures begins to write figures: the header, and the lines of the sources, which b lists. All results
// stand in b already, but for their files. base is what earlier blocks have.
func (b *Block) WriteFigures(w io.Writer, base *Base) (*FigureWriter, error) {
	f := &FigureWriter{block: b, columns: b.figureColumns(), base: base, csv: csv.NewWriter(w),
		has: make(map[string]bool), given: make([]givenTo, len(b.Results)+1)}
	for _, names := range base.used {
		for name := range names {
			f.has[name.Source] = true
		}
	}
	err := f.csv.Write(f.columns.header())
	for i := range b.Sources {
		s := &b.Sources[i]
		f.has[s.Source] = true
		var totals []string
		for _, t := range s.Totals {
			totals = append(totals, t.Amount)
		}
		err = errors.Join(err, f.write(&Figure{Kind: OfRead, Result: b.resultOf(s), Source: s.Source, Rows: s.Rows,
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

// Give takes what a source gave to a result, in the order in which it is to be written.
func (f *FigureWriter) Give(figure *Figure) error {
	to := &f.given[figure.Result]
	if to.place == nil {
		to.place = make(map[string]int)
	}
	by, totals := f.block.namesOf(figure.Result)
	f.printer.Begin(by, totals)
	f.printer.Given(figure.Rows, figure.Totals, figure.Place)
	to.place[figure.Source] = len(to.order)
	to.order = append(to.order, &givenBy{Figure: *figure, print: f.printer.Sum})
	return nil
}

// Take takes what a source gave to a group of a result.
func (f *FigureWriter) Take(result int, source string, c *Cell) {
	to := &f.given[result]
	of := to.order[to.place[source]]
	f.printer.Sum = of.print
	f.printer.Cell(c)
	of.print = f.printer.Sum
}

// Settle writes what sources gave as no earlier block has it, when all of it was given and taken. A source that gave
// something in an earlier block, and gives nothing now, is said to.
func (f *FigureWriter) Settle() (err error) {
	for i := range f.block.Results {
		r, to := &f.block.Results[i], &f.given[i+1]
		if r.As != "" {
			continue
		}
		before := f.base.given[r.called()]
		_, totals := f.block.namesOf(i + 1)
		for _, source := range slices.SortedFunc(maps.Keys(before), natural.Compare) {
			if _, gives := to.place[source]; gives || !f.has[source] {
				continue
			}
			nothing := &Figure{Kind: OfGiven, Result: i + 1, Source: source}
			for range totals {
				nothing.Totals = append(nothing.Totals, "0")
			}
			err = errors.Join(err, f.Give(nothing))
		}
		for _, of := range to.order {
			of.Print = of.print.String()
			if was, known := before[of.Source]; known && (was.print == of.Print || of.Kept) {
				f.base.useFigures(was.number, of.Source)
				of.in = was.number
				continue
			}
			err = errors.Join(err, f.write(&of.Figure))
		}
	}
	return err
}

// IsOwn tells whether this block says what a source gave to a result, and no earlier one, once that is settled.
func (f *FigureWriter) IsOwn(result int, source string) bool {
	to := &f.given[result]
	at, known := to.place[source]
	return known && to.order[at].in == 0
}

// KeptIn is the block that says what a source gave to a result, once that is settled; 0 for this one.
func (f *FigureWriter) KeptIn(command, title, source string) int {
	for i := range f.block.Results {
		if r := &f.block.Results[i]; r.As == "" && r.Command == command && r.Title == title {
			if at, known := f.given[i+1].place[source]; known {
				return f.given[i+1].order[at].in
			}
		}
	}
	return 0
}

// Write writes a line of OfGroup, or of OfWithin where IsOwn says so: of each result those of OfGroup first.
func (f *FigureWriter) Write(figure *Figure) error { return f.write(figure) }

// write writes a line.
func (f *FigureWriter) write(figure *Figure) error {
	f.cells = append(f.cells[:0], string(figure.Kind), "", figure.Source)
	if figure.Result > 0 {
		f.cells[1] = strconv.Itoa(figure.Result)
	}
	if s := figure.Read; s != nil {
		f.cells = append(f.cells, s.Name, s.SHA256, s.Fingerprint, s.Query, strconv.FormatInt(s.Size, 10),
			strconv.Itoa(s.Layout), s.Entity, s.Period, strconv.Itoa(s.Retained), s.States)
	} else {
		f.cells = append(f.cells, make([]string, len(f.columns.read))...)
		f.cells[len(f.cells)-len(f.columns.read)+slices.Index(f.columns.read, "fingerprint")] = figure.Print
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
