package pack

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"

	"lastblock/core/large/prints"
	"lastblock/core/month/block"
)

// A pack is written as lines of JSON: the first has what stands once, and each of the others an item of a list, such as
// a source, or a line of a summary. Items that are in the pack of an earlier block, as most are, are not written again:
// [3,17,250] stands for 250 lines of the pack of block 3, from its line 17 on.

// item is an item of one of the lists of a pack: one member has it. Those that are part of another item stand behind
// it.
type item struct {
	Filed          *string         `json:"filed,omitempty"` // an entity; its cells follow
	Cell           *filedCell      `json:"cell,omitempty"`
	Summary        *Summary        `json:"summary,omitempty"` // without lines, which follow
	Line           *SummaryLine    `json:"line,omitempty"`
	Declared       *Declared       `json:"declared,omitempty"`
	Reconciliation *Reconciliation `json:"reconciliation,omitempty"` // without statements, which follow
	Statement      *Statement      `json:"statement,omitempty"`
	Grid           *Grid           `json:"grid,omitempty"`  // without blocks, which follow
	Block          *GridBlock      `json:"block,omitempty"` // without figures, which follow row by row
	Figures        []GridFigure    `json:"figures,omitempty"`
	Finding        *Finding        `json:"finding,omitempty"`
	Source         *Source         `json:"source,omitempty"`
	PassedOver     *PassedOver     `json:"passed_over,omitempty"`
}

// filedCell is a cell with what makes it another one than that of others.
type filedCell struct {
	Entity string `json:"entity"`
	Period string `json:"period"`
	FiledCell
}

// items visits the items of the pack.
func (p *Pack) items(visit func(*item) error) (err error) {
	put := func(i *item) { err = errors.Join(err, visit(i)) }
	if p.Filed != nil {
		for r := range p.Filed.Entities {
			row := &p.Filed.Entities[r]
			put(&item{Filed: &row.Entity})
			for c, cell := range row.Cells {
				put(&item{Cell: &filedCell{row.Entity, p.Filed.Periods[c], cell}})
			}
		}
	}
	for i := range p.Summaries {
		bare := p.Summaries[i]
		bare.Lines = nil
		put(&item{Summary: &bare})
		for k := range p.Summaries[i].Lines {
			put(&item{Line: &p.Summaries[i].Lines[k]})
		}
	}
	for i := range p.Declared {
		put(&item{Declared: &p.Declared[i]})
	}
	for i := range p.Reconciliations {
		bare := p.Reconciliations[i]
		bare.Statements = nil
		put(&item{Reconciliation: &bare})
		for k := range p.Reconciliations[i].Statements {
			put(&item{Statement: &p.Reconciliations[i].Statements[k]})
		}
	}
	for i := range p.Grids {
		bare := p.Grids[i]
		bare.Blocks = nil
		put(&item{Grid: &bare})
		for k := range p.Grids[i].Blocks {
			of := p.Grids[i].Blocks[k]
			figures := of.Figures
			of.Figures = nil
			put(&item{Block: &of})
			for row := range slices.Chunk(figures, max(1, len(of.Columns))) {
				put(&item{Figures: row})
			}
		}
	}
	for i := range p.Findings {
		put(&item{Finding: &p.Findings[i]})
	}
	for i := range p.Sources {
		put(&item{Source: &p.Sources[i]})
	}
	for i := range p.PassedOver {
		put(&item{PassedOver: &p.PassedOver[i]})
	}
	return err
}

// take takes an item in.
func (p *Pack) take(i *item) error {
	lost := false // what it is part of
	switch {
	case i.Filed != nil:
		if p.Filed == nil {
			p.Filed = new(Filed)
		}
		p.Filed.Entities = append(p.Filed.Entities, FiledRow{Entity: *i.Filed})
	case i.Cell != nil:
		if lost = p.Filed == nil || len(p.Filed.Entities) == 0; !lost {
			row := &p.Filed.Entities[len(p.Filed.Entities)-1]
			row.Cells = append(row.Cells, i.Cell.FiledCell)
		}
	case i.Summary != nil:
		i.Summary.Lines = []SummaryLine{}
		p.Summaries = append(p.Summaries, *i.Summary)
	case i.Line != nil:
		if lost = len(p.Summaries) == 0; !lost {
			of := &p.Summaries[len(p.Summaries)-1]
			of.Lines = append(of.Lines, *i.Line)
		}
	case i.Declared != nil:
		p.Declared = append(p.Declared, *i.Declared)
	case i.Reconciliation != nil:
		p.Reconciliations = append(p.Reconciliations, *i.Reconciliation)
	case i.Statement != nil:
		if lost = len(p.Reconciliations) == 0; !lost {
			of := &p.Reconciliations[len(p.Reconciliations)-1]
			of.Statements = append(of.Statements, *i.Statement)
		}
	case i.Grid != nil:
		p.Grids = append(p.Grids, *i.Grid)
	case i.Block != nil:
		if lost = len(p.Grids) == 0; !lost {
			of := &p.Grids[len(p.Grids)-1]
			of.Blocks = append(of.Blocks, *i.Block)
		}
	case i.Figures != nil:
		if lost = len(p.Grids) == 0 || len(p.Grids[len(p.Grids)-1].Blocks) == 0; !lost {
			blocks := p.Grids[len(p.Grids)-1].Blocks
			of := &blocks[len(blocks)-1]
			of.Figures = append(of.Figures, i.Figures...)
		}
	case i.Finding != nil:
		p.Findings = append(p.Findings, *i.Finding)
	case i.Source != nil:
		p.Sources = append(p.Sources, *i.Source)
	case i.PassedOver != nil:
		p.PassedOver = append(p.PassedOver, *i.PassedOver)
	}
	if lost {
		return errors.New("reading what the checks came to: a part of something stands before it")
	}
	return nil
}

// bare is the pack without its lists.
func (p *Pack) bare() *Pack {
	bare := &Pack{Version: Version, Period: p.Period, Verdict: p.Verdict, Since: p.Since, Doubles: p.Doubles,
		Proof: p.Proof, Sources: []Source{}}
	if p.Filed != nil {
		bare.Filed = &Filed{Periods: p.Filed.Periods}
	}
	return bare
}

// Known are the items that the packs of earlier blocks have.
type Known struct {
	at  map[prints.Sum]place
	use func(number int)
}

// place is where an item stands: a block, and a line of its pack, from 1.
type place struct{ block, line int }

// KnownOf reads the packs of the blocks of a chain that are written as lines. use is told each block whose pack is
// used. A pack that is gone, or not as it was sealed, has nothing, so that its items are written once more.
func KnownOf(chain *block.Chain, use func(number int)) (*Known, error) {
	k := newKnown(use)
	for i := len(chain.Entries) - 1; i >= 0 && chain.Entries[i].Version == block.Version; i-- {
		e := &chain.Entries[i]
		_, err := chain.Pack(e, func(r io.Reader) error { return k.note(e.Number, r) })
		if broken := new(block.BrokenError); errors.Is(err, fs.ErrNotExist) || errors.As(err, &broken) {
			continue
		}
		if err != nil {
			return nil, err
		}
	}
	return k, nil
}

func newKnown(use func(number int)) *Known { return &Known{make(map[prints.Sum]place), use} }

// note takes the items of the pack of a block in that are not known yet.
func (k *Known) note(number int, r io.Reader) error {
	line := 0
	return eachLine(r, func(text []byte) error {
		if line++; line == 1 || text[0] == '[' {
			return nil
		}
		if print := prints.Of(text); k.at[print].block == 0 {
			k.at[print] = place{number, line}
		}
		return nil
	})
}

// eachLine visits the lines of a pack, without their ends.
func eachLine(r io.Reader, visit func(line []byte) error) error {
	in := bufio.NewReaderSize(r, 64<<10)
	var long []byte
	for {
		line, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			long = append(long, line...)
			continue
		}
		if len(long) > 0 {
			line, long = append(long, line...), long[:0]
		}
		if line = bytes.TrimSuffix(line, []byte{'\n'}); len(line) > 0 {
			if err := visit(line); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// Write writes the pack as lines of JSON, but for what known has.
func (p *Pack) Write(w io.Writer, known *Known) error {
	out := bufio.NewWriter(w)
	first, err := json.Marshal(p.bare())
	if err != nil {
		return err
	}
	out.Write(append(first, '\n')) // Flush tells its error
	var from place                 // of the items that are about to be referred to
	count := 0
	refer := func() {
		if count > 0 {
			fmt.Fprintf(out, "[%d,%d,%d]\n", from.block, from.line, count)
			known.use(from.block)
			count = 0
		}
	}
	err = p.items(func(i *item) error {
		line, err := json.Marshal(i)
		if err != nil {
			return err
		}
		at, is := known.at[prints.Of(line)]
		if is && count > 0 && at == (place{from.block, from.line + count}) {
			count++
			return nil
		}
		refer()
		if is {
			from, count = at, 1
			return nil
		}
		out.Write(append(line, '\n'))
		return nil
	})
	refer()
	return errors.Join(err, out.Flush())
}

// Read reads what Write has written. lines gives lines of the pack of an earlier block, by its number; see Lines. The
// error says where it is no pack, or one of a newer version.
func Read(r io.Reader, lines func(number int) ([][]byte, error)) (p *Pack, err error) {
	err = eachLine(r, func(line []byte) error {
		switch {
		case p == nil:
			p = new(Pack)
			if err := json.Unmarshal(line, p); err != nil {
				return fmt.Errorf("reading what the checks came to: %w", err)
			}
			if p.Version > Version {
				return fmt.Errorf("what the checks came to was written by a newer Lastblock; use that one")
			}
			return nil
		case line[0] != '[':
			return p.takeLine(line)
		}
		var of [3]int
		if err := json.Unmarshal(line, &of); err != nil {
			return fmt.Errorf("reading what the checks came to: %w", err)
		}
		from, err := lines(of[0])
		if err != nil {
			return err
		}
		if of[1] < 1 || of[2] < 1 || of[1]-1 > len(from)-of[2] {
			return fmt.Errorf("reading what the checks came to: block %d has no %d lines from line %d on", of[0], of[2],
				of[1])
		}
		for _, line := range from[of[1]-1 : of[1]-1+of[2]] {
			if err := p.takeLine(line); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil && p == nil {
		err = errors.New("reading what the checks came to: there is nothing")
	}
	return p, err
}

func (p *Pack) takeLine(line []byte) error {
	i := new(item)
	if err := json.Unmarshal(line, i); err != nil {
		return fmt.Errorf("reading what the checks came to: %w", err)
	}
	return p.take(i)
}

// Lines are the lines of the pack that stands with a block.
func Lines(chain *block.Chain, e *block.Entry) (lines [][]byte, err error) {
	_, err = chain.Pack(e, func(r io.Reader) error {
		return eachLine(r, func(line []byte) error {
			lines = append(lines, bytes.Clone(line))
			return nil
		})
	})
	return lines, err
}
