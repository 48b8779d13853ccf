package pack

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
)

// Own are the sources of an entity: what isOwn of Gather wants. The error names the entities that there are.
func (r *Report) Own(entity string) (isOwn func(source string) bool, err error) {
	if !slices.ContainsFunc(r.Entities, is(entity)) {
		return nil, nearest.Unknown("entity", entity, r.Entities)
	}
	own := make(map[string]bool)
	for i := range r.Sources {
		if s := &r.Sources[i]; fold(s.Entity) == fold(entity) {
			own[s.Source] = true
		}
	}
	return func(source string) bool { return own[source] }, nil
}

// For is what a single entity may see: its own sources, and of everything else only what they gave. given is that of
// its own sources, by Gather. What the entity itself has sent, such as a counterparty's name, stays as it sent it.
func (r *Report) For(entity string, given *Given) (*Report, error) {
	isOwn, err := r.Own(entity)
	if err != nil {
		return nil, err
	}
	o := &only{from: r, entity: r.Entities[slices.IndexFunc(r.Entities, is(entity))], isOwn: isOwn, given: given}
	for _, name := range r.Entities {
		if fold(name) != fold(entity) {
			o.others = append(o.others, fold(name))
		}
	}
	for i := range r.Sources {
		if s := &r.Sources[i]; !isOwn(s.Source) {
			o.others = append(o.others, fold(s.Source))
		}
	}
	to := *r
	to.Pack = &Pack{Version: r.Version, Period: r.Period, Verdict: block.Passed, Since: r.Since}
	to.Entity, to.Entities, to.Given = o.entity, []string{o.entity}, given
	to.Reason, to.Before, to.Results = "", nil, nil
	to.Files, to.Bridges = o.files(), o.bridges()
	o.to = &to
	o.sources()
	o.filed()
	o.findings()
	o.summaries()
	o.grids()
	o.reconciliations()
	for _, d := range r.Declared {
		if isOwn(d.Source) {
			to.Declared = append(to.Declared, d)
		}
	}
	return &to, nil
}

// only makes what one entity may see.
type only struct {
	from, to *Report
	entity   string
	isOwn    func(source string) bool
	others   []string // names of other entities and of their sources, in small letters
	given    *Given
}

// files are its own, without what a name of another one would tell.
func (o *only) files() (files []block.Source) {
	for _, s := range o.from.Files {
		if o.isOwn(s.Source) {
			files = append(files, s)
		}
	}
	return files
}

// bridges are the lines of its own sources, without the figures of all that they lead from and to.
func (o *only) bridges() (bridges []block.Bridge) {
	for _, b := range o.from.Bridges {
		own := b
		own.Lines = nil
		for _, line := range b.Lines {
			if line.Source != "" && o.isOwn(line.Source) {
				own.Lines = append(own.Lines, line)
			}
		}
		about := func(w block.Word) bool { return o.isAboutOthers(w.Value) }
		if own.Lines != nil && !slices.ContainsFunc(b.Group, about) {
			bridges = append(bridges, own)
		}
	}
	return bridges
}

func (o *only) sources() {
	p := o.to.Pack
	for _, s := range o.from.Sources {
		if !o.isOwn(s.Source) {
			continue
		}
		p.Sources = append(p.Sources, s)
		if s.Of != "" {
			continue
		}
		p.Proof.Read += s.Rows
		p.Proof.Suspense += s.Suspense
		p.Proof.Dropped += s.Dropped
		p.Proof.Used += s.Rows - s.Suspense - s.Dropped
	}
}

func (o *only) filed() {
	if o.from.Filed == nil {
		return
	}
	o.to.Filed = &Filed{Periods: o.from.Filed.Periods}
	for _, row := range o.from.Filed.Entities {
		if fold(row.Entity) == fold(o.entity) {
			o.to.Filed.Entities = append(o.to.Filed.Entities, row)
		}
	}
}

// alsoOfOthers stands for what a finding says about others.
const alsoOfOthers = "it is about records of another company, too; head office has the rest"

func (o *only) findings() {
	for _, f := range o.from.Findings {
		if fold(f.Entity) != fold(o.entity) || f.Entity == "" {
			continue
		}
		if f.Mutual || o.isAboutOthers(f.Message) || o.isAboutOthers(f.Key) || o.isAboutOthers(f.Found) ||
			o.isAboutOthers(f.Expected) {
			f.Message, f.Key, f.Expected, f.Found, f.Difference = alsoOfOthers, "", "", "", ""
			f.Totals = nil
		}
		f.Places = slices.DeleteFunc(slices.Clone(f.Places), func(p finding.Place) bool { return !o.isOwn(p.Source) })
		if o.isAboutOthers(f.Accepted) {
			f.Accepted, f.User = "decided by head office", ""
		}
		if o.isAboutOthers(f.Lapsed) {
			f.Lapsed = "the decision does not hold any more"
		}
		if f.Stops() {
			o.to.Verdict = block.Failed
		}
		o.to.Findings = append(o.to.Findings, f)
	}
}

func (o *only) summaries() {
	for _, s := range o.from.Summaries {
		r := &block.Result{Command: "rollup", Title: s.Name, By: s.By}
		if s.Column != "" {
			r.By = append(slices.Clone(s.By), s.Column)
		}
		for _, sum := range s.Sums {
			r.Totals = append(r.Totals, block.Total{Column: sum})
		}
		if own := rebuilt(o.given, r); len(own.Lines) > 1 {
			o.to.Summaries = append(o.to.Summaries, own.spread(&s))
		}
	}
}

// spread puts the groups of a summary that differ in their last part alone into one row, as like has them.
func (s *Summary) spread(like *Summary) Summary {
	if like.Column == "" {
		return *s
	}
	to := Summary{Name: s.Name, By: like.By, Column: like.Column, Sums: s.Sums}
	for _, value := range like.Across { // in its order, as far as there are figures
		if slices.ContainsFunc(
			s.Lines,
			func(l SummaryLine) bool { return l.Kind == Group && l.Key[len(like.By)] == value },
		) {
			to.Across = append(to.Across, value)
		}
	}
	total := SummaryLine{Kind: Total, Cells: make([][]*amount.Amount, len(to.Across))}
	enter := func(line *SummaryLine, from *SummaryLine) {
		line.Records, line.Sums = line.Records+from.Records, added(line.Sums, from.Sums)
		if from.Kind != Group {
			return
		}
		at := slices.Index(to.Across, from.Key[len(like.By)])
		for i, value := range from.Sums {
			if line.Cells[at] == nil {
				line.Cells[at] = make([]*amount.Amount, len(s.Sums))
			}
			sum := value
			if was := line.Cells[at][i]; was != nil {
				sum = was.Add(value)
			}
			line.Cells[at][i] = &sum
		}
	}
	for i := range s.Lines {
		from := &s.Lines[i]
		if from.Kind == Total {
			continue
		}
		enter(&total, from)
		key := from.Key[:min(len(from.Key), len(like.By))]
		if n := len(to.Lines); from.Kind != Group || n == 0 || !slices.Equal(to.Lines[n-1].Key, key) {
			to.Lines = append(to.Lines, SummaryLine{Kind: from.Kind, Key: key,
				Cells: make([][]*amount.Amount, len(to.Across))})
		}
		enter(&to.Lines[len(to.Lines)-1], from)
	}
	to.Groups, to.Lines = len(to.Lines), append(to.Lines, total)
	return to
}

func (o *only) grids() {
	for _, g := range o.from.Grids {
		own := Grid{Name: g.Name, By: g.By}
		for i := range o.to.Sources {
			if o.to.Sources[i].Of == g.Name {
				own.Forms++
			}
		}
		for b := range g.Blocks {
			if made := o.gridBlock(&g, &g.Blocks[b]); len(made.Figures) > 0 {
				own.Blocks = append(own.Blocks, made)
			}
		}
		if len(own.Blocks) > 0 {
			o.to.Grids = append(o.to.Grids, own)
		}
	}
}

// gridBlock has the rows and columns in which the entity has figures.
func (o *only) gridBlock(g *Grid, from *GridBlock) (to GridBlock) {
	figures := make([]*Figure, len(from.Figures))
	rows, columns := make([]bool, len(from.Rows)), make([]bool, len(from.Columns))
	for i := range from.Rows {
		for k := range from.Columns {
			at := i*len(from.Columns) + k
			figures[at] = o.given.Of("overlay", g.Name, from.Key(g, i, k))
			if figures[at] != nil {
				rows[i], columns[k] = true, true
			}
		}
	}
	for k, line := range from.Columns {
		if columns[k] {
			to.Columns = append(to.Columns, line)
		}
	}
	for i, line := range from.Rows {
		if !rows[i] {
			continue
		}
		to.Rows = append(to.Rows, line)
		for k := range from.Columns {
			if !columns[k] {
				continue
			}
			figure := GridFigure{Cell: from.Figures[i*len(from.Columns)+k].Cell}
			if of := figures[i*len(from.Columns)+k]; of != nil {
				figure.Amount = &of.Totals[0]
			}
			to.Figures = append(to.Figures, figure)
		}
	}
	return to
}

// Key is the key of a figure of the grid among what sources gave.
func (b *GridBlock) Key(g *Grid, row, column int) []string {
	key := []string{b.Rows[row].Name, b.Columns[column].Name}
	if len(g.By) > len(key) {
		key = append(key, b.Figures[row*len(b.Columns)+column].Cell)
	}
	return key
}

// reconciliations are statements of the entity's own records, where there is one by entity.
func (o *only) reconciliations() {
	for _, r := range o.from.Reconciliations {
		at := slices.Index(r.By, tally.EntityWord)
		if r.Mutual || at < 0 {
			continue
		}
		own := r
		own.Statements = nil
		for _, s := range r.Statements {
			if s.Group != nil && fold(s.Group[at]) == fold(o.entity) {
				own.Statements = append(own.Statements, s)
			}
		}
		if own.Statements != nil {
			o.to.Reconciliations = append(o.to.Reconciliations, own)
		}
	}
}

// isAboutOthers tells whether a text names another entity, or a source of one.
func (o *only) isAboutOthers(text string) bool {
	if text == "" {
		return false
	}
	text = fold(text)
	return slices.ContainsFunc(o.others, func(name string) bool { return hasWord(text, name) })
}

// hasWord tells whether a name stands in a text by itself, and not within a longer word.
func hasWord(text, name string) bool {
	for from := 0; ; {
		at := strings.Index(text[from:], name)
		if at < 0 {
			return false
		}
		at += from
		before, _ := utf8.DecodeLastRuneInString(text[:at])
		behind, _ := utf8.DecodeRuneInString(text[at+len(name):])
		if !isWord(before) && !isWord(behind) {
			return true
		}
		from = at + 1
	}
}

func isWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }
