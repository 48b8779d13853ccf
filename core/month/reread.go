package month

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/core/value/words"
)

// A version of Lastblock may read a file otherwise than the one that sealed it: it takes a line for a total, or a text
// for an amount. That is no change of the file. It is told, and has a line of its own in the bridges. Fingerprints are
// made in one way since the first version of blocks, so that those of all blocks can be held against those of now.

// rereadSource is a source as it is read now, held against what was sealed of the same bytes.
type rereadSource struct {
	name    string
	of      string // the result whose form it is
	was     *block.Source
	rows    int
	totals  []amount.Amount // by the totals of was; nil where it is not known what they are
	print   string
	layout  []string // nil where it has none
	sealed  []string // likewise, as it was sealed
	version string   // of Lastblock that sealed it
	number  int      // of the block
}

// differs says what of a source is read otherwise, "" for nothing.
func (r *rereadSource) differs() string {
	var was, is []string
	add := func(now, before string) { is, was = append(is, now), append(was, before) }
	if r.rows != r.was.Rows {
		add(words.Count(r.rows, "row"), strconv.Itoa(r.was.Rows))
	}
	for i, total := range r.was.Totals {
		if i < len(r.totals) && r.totals[i].String() != total.Amount {
			value, err := amount.Parse([]byte(total.Amount), '.')
			if err != nil || value.Cmp(r.totals[i]) != 0 {
				add(r.totals[i].String()+" of "+total.Column, total.Amount)
			}
		}
	}
	if len(was) == 0 && r.print != r.was.Fingerprint {
		return "as other records than before"
	}
	if len(was) == 0 && !slices.Equal(r.layout, r.sealed) {
		return "with other columns than before"
	}
	if len(was) == 0 {
		return ""
	}
	return "as " + words.And(is...) + ", where there were " + words.And(was...)
}

// finding is what is told of a source that is read differently.
func (r *rereadSource) finding(program string) finding.Finding {
	f := finding.Finding{Kind: finding.ReadDifferently, Severity: finding.ReadDifferently.Severity(), Source: r.name,
		Key: r.of, Expected: block.Short(r.was.Fingerprint), Found: block.Short(r.print)}
	for i := range r.totals {
		f.Found += " " + r.totals[i].String()
	}
	f.Message = fmt.Sprintf("its bytes are those that block %d has sealed with version %s, and version %s reads them "+
		"%s; the bridges have a line for it: look whether that is right", r.number, r.version, program, r.differs())
	f.ID, f.State = finding.Identify(&f, 0), finding.StateOf(&f)
	return f
}

// isOtherVersion tells whether a block was sealed by another version of Lastblock, of the same plan and files beside
// the sources, so that what is read otherwise is so for that reason.
func (c *Comparison) isOtherVersion(program string) bool {
	return c.Entry.Program != program && !c.Plan && !c.References
}

// Reread are findings for sources of a close that this version reads otherwise than the one that sealed the block with
// which the close is compared; ended are those forms.
func (p *Plan) Reread(ctx context.Context, in *Input, closing string, chain *block.Chain, program string, read *Read) (
	[]finding.Finding, error) {
	since := chain.Since(closing)
	if since == nil || since.Program == program {
		return nil, nil
	}
	sealed, err := chain.Sources(since)
	if err != nil {
		return nil, err
	}
	c := &Comparison{Entry: since, sealed: sourcesOf(sealed, in.of), set: in.Set}
	if err := c.compareBeside(p, in); err != nil || !c.isOtherVersion(program) {
		return nil, err
	}
	hash, err := in.HashesByPath(ctx)
	if err != nil {
		return nil, err
	}
	var findings []finding.Finding
	for _, r := range c.rereads(in, read, func(index int) string { return hash[in.Set.Sources[index].Path] }) {
		findings = append(findings, r.finding(program))
	}
	return findings, nil
}

// Read are the sources of a set as they were read.
type Read struct {
	Columns []string // of the totals
	Sources []Figures
	Print   func(index int) string
	Set     *source.Set // that was looked at; nil of forms, which have no layout
}

// ReadOf is what a tie-out has read.
func ReadOf(in *Input, tied *tieout.Result, prints *source.Fingerprints) *Read {
	r := &Read{Columns: tied.Columns, Sources: make([]Figures, len(in.Set.Sources)), Print: prints.Of,
		Set: in.Set}
	for _, row := range tied.Sources {
		r.Sources[row.Index] = Figures{Rows: row.Rows, Totals: row.Totals}
	}
	return r
}

// Read is what was read of the forms.
func (f *Forms) Read() *Read {
	r := &Read{Columns: []string{GridValue}, Sources: make([]Figures, len(f.In.Set.Sources)), Print: f.Done.Print}
	for i := range f.Done.Sources {
		of := &f.Done.Sources[i]
		r.Sources[of.Index] = Figures{Rows: of.Read - of.Blank, Totals: []amount.Amount{f.given[i]}}
	}
	return r
}

// rereads are the sources that are read otherwise than was sealed of the same bytes; hash is that of their files now.
func (c *Comparison) rereads(in *Input, read *Read, hash func(index int) string) (all []rereadSource) {
	at := make(map[string]int)
	for i := range c.sealed {
		at[c.sealed[i].Source] = i
	}
	left, err := in.Left()
	for i := range c.set.Sources {
		name := c.set.Sources[i].Name
		k, known := at[name]
		if !known || hash(i) == "" || hash(i) != c.sealed[k].SHA256 || !in.readsAsSent(i) ||
			!c.isSpeltSo(in, i, &c.sealed[k]) {
			continue
		}
		r := rereadSource{name: name, of: in.of, was: &c.sealed[k], rows: read.Sources[i].Rows, print: read.Print(i),
			version: c.Entry.Program, number: c.Entry.Number}
		if r.was.Layout > 0 {
			r.sealed = c.Entry.Layouts[r.was.Layout-1]
		}
		if read.Set != nil {
			if head := read.Set.Head(i); head != nil && head.Layout != nil {
				r.layout = head.Layout.Columns
			}
		}
		// What was decided to be left out is in no total.
		if decided := c.Decisions && (err != nil || left.Of(name) != nil); !decided {
			r.totals = r.totalsOf(read, i)
		}
		if r.differs() != "" {
			all = append(all, r)
		}
	}
	return all
}

// isSpeltSo tells whether what the name of a source tells is written as it was, which may be part of computed columns.
func (c *Comparison) isSpeltSo(in *Input, index int, was *block.Source) bool {
	of, told := period.Parse(in.Set.Word(index, tally.PeriodWord))
	return in.Set.Word(index, tally.EntityWord) == was.Entity && (!told || of.String() == was.Period)
}

// totalsOf are the totals of a source by those that were sealed, nil where it has others.
func (r *rereadSource) totalsOf(read *Read, index int) (totals []amount.Amount) {
	for _, total := range r.was.Totals {
		k := slices.Index(read.Columns, total.Column)
		if k < 0 || k >= len(read.Sources[index].Totals) {
			return nil
		}
		totals = append(totals, read.Sources[index].Totals[k])
	}
	return totals
}

// readsAsSent tells whether the records of a source come as they stand in its file.
func (in *Input) readsAsSent(index int) bool {
	frozen := in.FrozenAs(in.Set.Sources[index].Path)
	return frozen == nil || frozen.Copy == ""
}
