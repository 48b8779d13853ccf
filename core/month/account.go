package month

import (
	"context"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
	"lastblock/core/value/period"
)

// Account is a close of which a block gives account.
type Account struct {
	Plan       *Plan
	Task       *Closing
	In         *Input
	Chain      *block.Chain
	Tied       *tieout.Result
	Prints     *source.Fingerprints
	States     []string // what became of the records of sources, by index; nil where none are retained
	Findings   []finding.Finding
	Verdict    block.Verdict
	References []*source.Set     // that were read beside the sources
	Forms      []*Forms          // that were added up
	Measured   []*MeasuredResult // what sources gave to results, for its bridges
	KeptIn     KeptIn            // what of these is as a block has it
	Program    string            // the version of Lastblock
}

// TotalsOf are totals as a block has them.
func TotalsOf(columns []string, amounts []amount.Amount) []block.Total {
	totals := []block.Total{}
	for i, column := range columns {
		totals = append(totals, block.Total{Column: column, Amount: amounts[i].String()})
	}
	return totals
}

// name is the name of a file as blocks have it.
func (c *Account) name(path string) (string, error) {
	return c.In.Moves().Name(filepath.Dir(c.Task.Plan), path)
}

// Block says what was read and what it came to; results, figures and bridges are added by the caller. The error is an
// *option.Error, or what reading returned.
func (c *Account) Block(ctx context.Context) (*block.Block, error) {
	t := c.Task
	b := &block.Block{Period: c.In.Closing, Time: time.Now(), User: t.User, Program: c.Program, Verdict: c.Verdict,
		Reason: t.Reason, Later: c.later(), Rows: c.Tied.Rows, Totals: TotalsOf(c.Tied.Columns, c.Tied.Totals),
		Findings: []block.Finding{}, Sources: []block.Source{}, References: []block.Reference{},
		Results: []block.Result{}}
	if b.User == "" {
		current, err := user.Current()
		if err != nil {
			return nil, option.Errorf("user", "who closes? The machine does not say: %w", err)
		}
		b.User = current.Username
	}
	if before := c.Chain.Of(b.Period); before != nil {
		b.Restates = before.Number
	}
	p := &c.Tied.Proof
	b.Proof = block.Proof{Read: p.Read, Used: p.Used, Suspense: p.Suspense, Dropped: p.Dropped}
	for i := range c.Findings {
		if f := &c.Findings[i]; f.Severity != finding.Note {
			b.Findings = append(b.Findings, block.Finding{ID: f.ID, Kind: string(f.Kind), Severity: string(f.Severity),
				Source: f.Source, State: f.State, Decision: f.Accepted})
		}
	}
	if file := t.DecisionsFile(); file != "" {
		log, err := decision.Read(file)
		if err != nil {
			return nil, err
		}
		b.Decisions.Lines, b.Decisions.Seal = log.Seal()
	}
	for _, seal := range []func(context.Context, *block.Block) error{c.sealFiles, c.sealReferences, c.sealSources,
		c.sealForms, c.untouched, c.checkPrints} {
		if err := seal(ctx, b); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// untouched makes sure that what was hashed is what was read: no file was touched since it was found.
func (c *Account) untouched(context.Context, *block.Block) error {
	sets := append([]*source.Set{c.In.Set}, c.References...)
	for _, f := range c.Forms {
		sets = append(sets, f.In.Set)
	}
	for _, set := range sets {
		if err := set.Untouched(); err != nil {
			return err
		}
	}
	return nil
}

// readsAsSent tells whether the records of a source come as they stand in its file.
func (c *Account) readsAsSent(index int) bool {
	return c.In.Set.IsVerbatim(index) && c.In.readsAsSent(index)
}

// checkPrints makes sure that hashes and fingerprints go together: where a file is as an earlier block has sealed it,
// and the same plan and references were read by the same program, its records are the same.
func (c *Account) checkPrints(_ context.Context, b *block.Block) error {
	last := c.Chain.Latest()
	if last == nil || last.Program != b.Program || last.Plan != b.Plan || !slices.Equal(last.References, b.References) {
		return nil
	}
	before, err := c.Chain.Sources(last)
	if err != nil {
		return err
	}
	sealed := make(map[string]*block.Source)
	for i := range before {
		sealed[before[i].Of+"\x00"+before[i].Source] = &before[i]
	}
	at := make(map[string]int)
	for i := range c.In.Set.Sources {
		at[c.In.Set.Sources[i].Name] = i
	}
	for i := range b.Sources {
		s := &b.Sources[i]
		was := sealed[s.Of+"\x00"+s.Source]
		if index, records := at[s.Source]; s.Of == "" && records && !c.readsAsSent(index) {
			continue // what names of other sources tell may be in its records
		}
		if was != nil && s.SHA256 != "" && was.SHA256 == s.SHA256 && was.Fingerprint != s.Fingerprint {
			return fmt.Errorf("%s has the bytes that block %d has sealed, and other records; it was changed while "+
				"it was read: close again", s.Source, last.Number)
		}
	}
	return nil
}

// later are the sources, and the forms, that were passed over since they are of later periods.
func (c *Account) later() []string {
	all := slices.Clone(c.In.Later)
	for _, f := range c.Forms {
		for _, name := range f.In.Later {
			if !slices.Contains(all, name) {
				all = append(all, name)
			}
		}
	}
	slices.SortFunc(all, natural.Compare)
	return all
}

// sealFiles seals the plan and the references that it names.
func (c *Account) sealFiles(_ context.Context, b *block.Block) error {
	for i, path := range c.Plan.Files() {
		if info, err := os.Stat(path); err != nil || info.IsDir() {
			continue // a folder, whose files follow
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name, err := c.name(path)
		if err != nil {
			return err
		}
		file := block.File{Name: name, SHA256: block.SealOf(data)}
		if i == 0 {
			b.Plan = file
			continue
		}
		c.refer(b, block.Reference{File: file})
	}
	return nil
}

// refer adds a reference, once.
func (c *Account) refer(b *block.Block, r block.Reference) {
	if !slices.Contains(b.References, r) {
		b.References = append(b.References, r)
	}
}

// sealReferences seals the files of other sets that were read: what records were reconciled against, and what was
// looked up.
func (c *Account) sealReferences(ctx context.Context, b *block.Block) error {
	for _, set := range c.References {
		hashes, err := set.Hashes(ctx, c.In.Reading.Jobs)
		if err != nil {
			return err
		}
		for _, h := range hashes {
			name, err := c.name(h.Path)
			if err != nil {
				return err
			}
			c.refer(b, block.Reference{File: block.File{Name: name, SHA256: h.SHA256}})
		}
		for i := range set.Sources {
			if set.IsQueried(i) {
				c.refer(b, block.Reference{File: block.File{Name: set.Sources[i].Name}, Query: set.Query(i),
					Fingerprint: set.Fingerprint(i)})
			}
		}
	}
	return nil
}

// sealSources seals the files that were read.
func (c *Account) sealSources(ctx context.Context, b *block.Block) error {
	hashes, err := c.In.HashesByPath(ctx)
	if err != nil {
		return err
	}
	layouts := make(map[string]int)
	for _, row := range c.Tied.Sources {
		s, err := c.source(c.In, hashes, row.Index)
		if err != nil {
			return err
		}
		s.Fingerprint, s.Rows, s.Totals = c.Prints.Of(row.Index), row.Rows, TotalsOf(c.Tied.Columns, row.Totals)
		s.Layout = c.layout(b, layouts, row.Index)
		if c.States != nil {
			s.States = c.States[row.Index]
		}
		b.Sources = append(b.Sources, *s)
	}
	return nil
}

// sealForms seals the forms that were added up, each as a source of its result.
func (c *Account) sealForms(ctx context.Context, b *block.Block) error {
	for _, f := range c.Forms {
		hashes, err := f.In.HashesByPath(ctx)
		if err != nil {
			return err
		}
		for i := range f.Done.Sources {
			of := &f.Done.Sources[i]
			s, err := c.source(f.In, hashes, of.Index)
			if err != nil {
				return err
			}
			s.Of, s.Fingerprint, s.Rows = f.Task.ResultName(), f.Done.Print(of.Index), of.Read-of.Blank
			s.Totals = TotalsOf([]string{GridValue}, []amount.Amount{f.given[i]})
			b.Sources = append(b.Sources, *s)
		}
	}
	return nil
}

// HashesByPath are the SHA-256 of the files of the sources, by their paths.
func (in *Input) HashesByPath(ctx context.Context) (map[string]string, error) {
	if in.byPath != nil {
		return in.byPath, nil
	}
	seen := source.ReadSeen(in.Seen)
	hashes, err := in.Hashes(ctx, seen)
	if err != nil {
		return nil, err
	}
	if in.Seen != "" {
		_ = seen.Write(in.Seen) // a hint, without which they are hashed again
	}
	hash := make(map[string]string)
	for _, h := range hashes {
		hash[h.Path] = h.SHA256
	}
	if in.Seals { // so that they are those of this run
		in.byPath = hash
	}
	return hash, nil
}

// source is a source as a block has it, without what was read of it.
func (c *Account) source(in *Input, hashes map[string]string, index int) (s *block.Source, err error) {
	of := &in.Set.Sources[index]
	s = &block.Source{File: block.File{Name: of.Name, SHA256: hashes[of.Path]}, Source: of.Name, Size: of.Size,
		Entity: in.Set.Word(index, "entity")}
	if frozen := in.FrozenAs(of.Path); frozen != nil {
		s.Size = frozen.Size
	}
	switch {
	case s.SHA256 != "":
		s.Name, err = c.name(of.Path)
	case in.Set.IsQueried(index):
		s.Query, s.Size = in.Set.Query(index), 0
	}
	if p, ok := period.Parse(in.Set.Word(index, "period")); ok {
		s.Period = p.String()
	}
	return s, err
}

// layout is the place of a source's columns among those of the block.
func (c *Account) layout(b *block.Block, known map[string]int, index int) (place int) {
	head := c.In.Set.Head(index)
	if head == nil || head.Layout == nil {
		return 0
	}
	key := strings.Join(head.Layout.Columns, "\x00")
	if known[key] == 0 {
		b.Layouts = append(b.Layouts, head.Layout.Columns)
		known[key] = len(b.Layouts)
	}
	return known[key]
}

// Bridges lead from the figures of the block of the last period, or of the one that is restated, to those of this
// close; since is that block, nil where there is none.
func (c *Account) Bridges(ctx context.Context) (bridges []Bridge, since *block.Entry, err error) {
	if since = c.Chain.Since(c.In.Closing); since == nil {
		return nil, nil, nil
	}
	reads := []*Read{ReadOf(c.In, c.Tied, c.Prints)}
	measured := []*Measured{{Set: c.In.Set, Prints: c.Prints, Sources: reads[0].Sources, Results: c.Measured}}
	inputs := []*Input{c.In}
	for _, f := range c.Forms {
		measured, inputs, reads = append(measured, f.Measured()), append(inputs, f.In), append(reads, f.Read())
	}
	for i, m := range measured {
		changed, err := c.Plan.ChangesOf(ctx, inputs[i], m, reads[i], c.KeptIn, c.Chain, since, c.Program,
			source.ReadSeen(inputs[i].Seen))
		if err != nil {
			return nil, nil, err
		}
		some, err := changed.Bridges(BridgeOptions{})
		if err != nil {
			return nil, nil, err
		}
		bridges = append(bridges, some...)
	}
	return bridges, since, nil
}
