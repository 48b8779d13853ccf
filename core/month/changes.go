package month

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/month/block"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
)

// Change is what has become of a source since a block.
type Change string

// The changes.
const (
	New     Change = "new"
	Changed Change = "changed"
	Moved   Change = "moved" // the same content under another path or name
	Gone    Change = "gone"
	Same    Change = "same"
	Reread  Change = "read-differently" // as it was, and read otherwise by another version of Lastblock
)

// SourceChange is a source that is not as a block has it.
type SourceChange struct {
	Change        Change
	Source        string
	Was           string // what it was called, of one that has moved
	Period        string // "" where its name tells none
	Before, After *Figures
	Later         bool     // it was there, and passed over as later than the period that was closed
	Added, Lost   []string // columns, of one that has changed
	Renamed       []RenamedColumn
	Records       *RecordChanges // nil where it is not known

	index int // in the set; -1 of one that is gone
	was   int // among the sources of the block; -1 of one that is new
}

// RenamedColumn is a column of a source that stands where another one stood.
type RenamedColumn struct {
	Was string `json:"was"`
	Is  string `json:"is"`
}

// Figures are what a source comes to: its records, and totals by the columns of the block.
type Figures struct {
	Rows   int
	Totals []amount.Amount
}

// Comparison is today's sources against a block.
type Comparison struct {
	Entry   *block.Entry
	Sources []SourceChange // all that are not the same
	Same    int

	// What else has changed since: the plan, a file beside the sources that it names, decisions.
	Plan, References, Decisions bool

	sealed []block.Source
	set    *source.Set
	place  map[string]int         // of today's sources, by name
	hash   func(index int) string // of the file of a source
}

// Seen is where hashes of files are kept from run to run, nil for nowhere.
type Seen = source.Seen

// Compare holds the sources of in, which the plan p names, against a block by the SHA-256 of
// their files, which seen may know. What it does not tell, entries of a file that has changed and what
// databases give, is Changed until it is measured. The error is what reading returned, or a *block.BrokenError.
func Compare(ctx context.Context, p *Plan, in *Input, chain *block.Chain, e *block.Entry, seen *Seen) (*Comparison,
	error) {
	c := &Comparison{Entry: e, set: in.Set, place: make(map[string]int)}
	sealed, err := chain.Sources(e)
	if err != nil {
		return nil, err
	}
	c.sealed = sourcesOf(sealed, in.of)
	hashes, err := in.Hashes(ctx, seen)
	if err != nil {
		return nil, err
	}
	of := make(map[string]string)
	for _, h := range hashes {
		of[h.Path] = h.SHA256
	}
	c.hash = func(index int) string { return of[in.Set.Sources[index].Path] }
	c.classify(c.hash, e.Later)
	return c, c.compareBeside(p, in)
}

// classify finds out what has become of each source; hash tells the SHA-256 of the file of a source today.
func (c *Comparison) classify(hash func(index int) string, later []string) {
	sealed := make(map[string]int)
	for i := range c.sealed {
		sealed[c.sealed[i].Source] = i
	}
	wasLater := make(map[string]bool)
	for _, name := range later {
		wasLater[name] = true
	}
	var fresh []int
	for i := range c.set.Sources {
		name := c.set.Sources[i].Name
		c.place[name] = i
		at, known := sealed[name]
		switch {
		case !known:
			fresh = append(fresh, i)
		case hash(i) != "" && hash(i) == c.sealed[at].SHA256:
			c.Same++
		default:
			c.Sources = append(c.Sources, SourceChange{Change: Changed, Source: name, index: i, was: at})
		}
	}
	gone := make(map[string][]int) // by content
	for i := range c.sealed {
		s := &c.sealed[i]
		if _, there := c.place[s.Source]; !there {
			key := moveKey(s.SHA256, inner(s.Source, s.Name), s.Entity, s.Period)
			gone[key] = append(gone[key], i)
			c.Sources = append(c.Sources, SourceChange{Change: Gone, Source: s.Source, index: -1, was: i})
		}
	}
	for _, i := range fresh {
		of := &c.set.Sources[i]
		change := SourceChange{Change: New, Source: of.Name, index: i, was: -1, Later: wasLater[of.Name]}
		key := moveKey(hash(i), inner(of.Name, filepath.ToSlash(of.Path)), c.set.Word(i, tally.EntityWord),
			c.set.Word(i, tally.PeriodWord))
		if from := gone[key]; hash(i) != "" && len(from) > 0 {
			change.Change, change.was, change.Was = Moved, from[0], c.sealed[from[0]].Source
			gone[key] = from[1:]
		}
		c.Sources = append(c.Sources, change)
	}
	moved := make(map[int]bool)
	for i := range c.Sources {
		if c.Sources[i].Change == Moved {
			moved[c.Sources[i].was] = true
		}
	}
	c.Sources = slices.DeleteFunc(c.Sources, func(s SourceChange) bool { return s.Change == Gone && moved[s.was] })
	for i := range c.Sources {
		c.Sources[i].Period = c.periodOf(&c.Sources[i])
	}
	slices.SortStableFunc(c.Sources, func(a, b SourceChange) int {
		return cmp.Compare(slices.Index(changeOrder, a.Change), slices.Index(changeOrder, b.Change))
	})
}

// moveKey is what a source keeps that has only moved: its bytes, the entry or sheet of its file, its entity and its
// period. The same bytes under the name of another entity are another figure.
func moveKey(hash, inner, entity, of string) string {
	return strings.Join([]string{hash, inner, spelling.Of(tally.EntityWord, entity),
		spelling.Of(tally.PeriodWord, of)}, "\x00")
}

// changeOrder is the order in which changes are told.
var changeOrder = []Change{New, Changed, Moved, Gone, Reread}

// inner is what the name of a source has behind the name of its file: an entry or a sheet.
func inner(name, file string) string {
	base := path.Base(file)
	if at := strings.LastIndex(name, base); at >= 0 {
		return name[at+len(base):]
	}
	return ""
}

func (c *Comparison) periodOf(s *SourceChange) string {
	if s.index < 0 {
		return c.sealed[s.was].Period
	}
	if p, ok := period.Parse(c.set.Word(s.index, tally.PeriodWord)); ok {
		return p.String()
	}
	return ""
}

// compareBeside finds out whether the plan, files beside the sources, or decisions have changed.
func (c *Comparison) compareBeside(p *Plan, in *Input) error {
	root := filepath.Dir(p.parsed.File)
	differs := func(name, hash string) (bool, error) {
		data, err := os.ReadFile(in.Moves().Path(root, name))
		if errors.Is(err, fs.ErrNotExist) {
			return true, nil
		}
		return block.SealOf(data) != hash, err
	}
	same, err := p.IsPlanOf(c.Entry.Plan.SHA256, in.Moves())
	if err != nil {
		return err
	}
	c.Plan = !same
	for _, r := range c.Entry.References {
		if r.SHA256 == "" {
			continue
		}
		changed, err := differs(r.Name, r.SHA256)
		if err != nil {
			return err
		}
		c.References = c.References || changed
	}
	c.Decisions = in.Decided.DecidedSince(c.Entry.Decisions.Lines)
	return nil
}

// beside says what has changed beside sources, as the label of a line.
func (c *Comparison) beside(decisions bool) string {
	var all []string
	if c.Plan {
		all = append(all, LinePlan)
	}
	if c.References {
		all = append(all, LineReferences)
	}
	if decisions && c.Decisions {
		all = append(all, LineDecisions)
	}
	if len(all) == 0 {
		return LineOther
	}
	return strings.Join(all, " and ")
}

// Closed are the sources that are not as the block has them although their period was closed: those of
// periods up to that of the block, but for such as have only moved, or are read differently.
func (c *Comparison) Closed() (all []*SourceChange) {
	closed, ok := period.Parse(c.Entry.Period)
	for i := range c.Sources {
		s := &c.Sources[i]
		of, known := period.Parse(s.Period)
		if ok && known && of.Last() <= closed.Last() && s.Change != Moved && s.Change != Reread {
			all = append(all, s)
		}
	}
	return all
}

// toMeasure are the sources of the set that have to be read to know their figures.
func (c *Comparison) toMeasure() (indices []int) {
	for i := range c.Sources {
		if s := &c.Sources[i]; s.Change == New || s.Change == Changed {
			indices = append(indices, s.index)
		}
	}
	slices.Sort(indices)
	return indices
}

// take takes the figures of sources that were measured, by their names. Entries and sheets of a file that has
// changed, and what databases give, turn out to be the same where their records are.
func (c *Comparison) take(m *Measured) {
	at := make(map[string]int)
	for i := range m.Set.Sources {
		at[m.Set.Sources[i].Name] = i
	}
	kept := c.Sources[:0]
	for _, s := range c.Sources {
		if s.was >= 0 {
			s.Before = figuresOf(&c.sealed[s.was])
		}
		if i, ok := at[s.Source]; ok && s.index >= 0 {
			s.After = &m.Sources[i]
			if s.Change == Changed && c.isSame(&s, m, i) {
				c.Same++
				continue
			}
		}
		if s.Change == Moved {
			s.After = s.Before
		}
		kept = append(kept, s)
	}
	c.Sources = kept
}

// isSame tells whether a source has the records that were sealed, and notes which columns it has got and lost.
func (c *Comparison) isSame(s *SourceChange, m *Measured, at int) bool {
	was := &c.sealed[s.was]
	if m.forms != nil {
		return isPart(m.Set, at) && m.forms.Done.Print(at) == was.Fingerprint
	}
	var before, now []string
	if was.Layout > 0 {
		before = c.Entry.Layouts[was.Layout-1]
	}
	if head := m.Set.Head(at); head != nil && head.Layout != nil {
		now = head.Layout.Columns
	}
	for _, name := range now {
		if !slices.Contains(before, name) {
			s.Added = append(s.Added, name)
		}
	}
	for _, name := range before {
		if !slices.Contains(now, name) {
			s.Lost = append(s.Lost, name)
		}
	}
	s.pairColumns(before, now)
	of := &m.Set.Sources[at]
	isPart := of.Entry() != "" || of.Sheet() != "" || m.Set.IsQueried(at)
	return isPart && m.Prints.Of(at) == was.Fingerprint && slices.Equal(before, now)
}

// pairColumns takes a column that was lost and one that was added for one that was renamed where it stands in the
// same place, and all columns are as many as before.
func (s *SourceChange) pairColumns(before, now []string) {
	if len(before) != len(now) {
		return
	}
	for i := range before {
		if slices.Contains(s.Lost, before[i]) && slices.Contains(s.Added, now[i]) {
			s.Renamed = append(s.Renamed, RenamedColumn{before[i], now[i]})
		}
	}
	for _, r := range s.Renamed {
		s.Lost = slices.DeleteFunc(s.Lost, func(name string) bool { return name == r.Was })
		s.Added = slices.DeleteFunc(s.Added, func(name string) bool { return name == r.Is })
	}
}

func figuresOf(s *block.Source) *Figures {
	f := &Figures{Rows: s.Rows}
	for _, total := range s.Totals {
		value, err := amount.Parse([]byte(total.Amount), '.')
		if err != nil {
			continue // which a block that is whole does not have
		}
		f.Totals = append(f.Totals, value)
	}
	return f
}
