package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/period"
	"lastblock/show"
	"lastblock/show/view"
)

// sealing is a close whose results are being written and sealed.
type sealing struct {
	*closing
	block   *block.Block
	ready   []*show.Output // that are to be placed
	results []closePart    // by place among the results of the block, nil for a file beside one
	left    []view.Left    // results that stay as a later period has made them
}

// seal writes the results, and places them with the block that seals them; of a rehearsal nothing is
// placed.
func (c *closing) seal(ctx context.Context, shown *view.Close) error {
	held := io.Closer(io.NopCloser(nil))
	if !c.task.Rehearse {
		var err error
		if held, err = c.chain.Hold(filepath.Base(c.task.Plan)); err != nil {
			return err
		}
	}
	s := &sealing{closing: c}
	err := s.seal(ctx, shown)
	return errors.Join(err, held.Close())
}

// seal is that of the close, while nobody else can add a block.
func (s *sealing) seal(ctx context.Context, shown *view.Close) (err error) {
	if s.block, err = s.account(ctx); err != nil {
		return err
	}
	for _, p := range s.parts {
		if err := p.write(ctx, s.remark()); err != nil {
			return err
		}
		if err := s.take(p); err != nil {
			return err
		}
	}
	if err := s.writeFigures(); err != nil {
		return err
	}
	if err := s.bridge(ctx, shown); err != nil {
		return err
	}
	entry, data, err := s.chain.Next(*s.block)
	if err != nil {
		return err
	}
	shown.Block, shown.Left = entry, s.left
	if last := s.chain.Last(); last != nil && entry.Time.Before(last.Time) {
		shown.Earlier = last
	}
	if s.task.Rehearse {
		return nil
	}
	output, err := s.create(entry.File)
	if err != nil {
		return err
	}
	if _, err := output.Write(data); err != nil {
		return err
	}
	s.app.outputs.Journal = s.task.Blocks
	return s.app.outputs.Commit(append([]*show.Output{output}, s.ready...)...)
}

// take seals the files of a part.
func (s *sealing) take(p closePart) error {
	made := p.made()
	for _, file := range p.outputs() {
		switch {
		case file.output == nil:
		case made == nil:
			if err := s.keepRecords(file.output); err != nil {
				return err
			}
		default:
			if err := s.sealResult(p, made, file); err != nil {
				return err
			}
		}
	}
	return nil
}

// keepRecords seals the records that are kept with the block.
func (s *sealing) keepRecords(output *show.Output) error {
	hash, err := output.SHA256()
	s.block.Records = &block.File{Name: filepath.Base(output.Path()), SHA256: hash}
	s.ready = append(s.ready, output)
	return err
}

// sealResult seals a file of a result. What it would replace must be of an earlier close; what a later
// period has made stays.
func (s *sealing) sealResult(p closePart, made *madeResult, file closeOutput) error {
	name, err := s.name(file.output.Path())
	if err != nil {
		return err
	}
	before := s.chain.Naming(name)
	if before != nil && isLater(before.Period, s.block.Period) {
		s.left = append(s.left, view.Left{Name: name, Block: before.Number, Period: before.Period})
		return nil
	}
	if _, err := os.Stat(file.output.Path()); err == nil && before == nil {
		return fmt.Errorf("%s is there, and no close has made it; move it away, or give the result another out", name)
	}
	r := block.Result{File: block.File{Name: name}, Command: made.command, Title: made.name, As: file.as,
		Totals: []block.Total{}}
	if r.SHA256, err = file.output.SHA256(); err != nil {
		return err
	}
	if file.as == "" {
		r.By, r.Rows, r.Totals = made.by, made.rows, made.totals
	} else {
		p = nil
	}
	s.block.Results, s.results = append(s.block.Results, r), append(s.results, p)
	s.ready = append(s.ready, file.output)
	return nil
}

func isLater(of, than string) bool {
	a, knownA := period.Parse(of)
	b, knownB := period.Parse(than)
	return knownA && knownB && a.Last() > b.Last()
}

// writeFigures writes the figures by source, and has the block seal them.
func (s *sealing) writeFigures() error {
	name := strings.TrimSuffix(block.Name(len(s.chain.Entries)+1, s.block.Period), ".json") + ".csv.zst"
	output, err := s.create(name)
	if err != nil {
		return err
	}
	s.ready = append(s.ready, output)
	output.Seal()
	err = show.WritePacked(output, "zst", func(w io.Writer) error {
		figures, err := s.block.WriteFigures(w)
		if err != nil {
			return err
		}
		for i, p := range s.results {
			if p == nil {
				continue
			}
			add := func(f *block.Figure) error {
				f.Result = i + 1
				return figures.Write(f)
			}
			if err := p.figures(add, func(index int) string { return s.in.Set.Sources[index].Name }); err != nil {
				return err
			}
		}
		return figures.Flush()
	})
	if err != nil {
		return err
	}
	hash, err := output.SHA256()
	s.block.Figures = block.File{Name: name, SHA256: hash}
	return err
}

// bridge leads from the figures of the block before, or of the one that is restated, to those of this close.
func (s *sealing) bridge(ctx context.Context, shown *view.Close) error {
	before := s.chain.Latest()
	if of := s.chain.Of(s.block.Period); of != nil {
		before = of
	}
	if before == nil {
		return nil
	}
	measured := &month.Measured{Set: s.in.Set, Prints: s.prints, Sources: make([]month.Figures, len(s.in.Set.Sources))}
	for _, row := range s.tied.Sources {
		measured.Sources[row.Index] = month.Figures{Rows: row.Rows, Totals: row.Totals}
	}
	for _, p := range s.parts {
		if m := p.measured(); m != nil {
			measured.Results = append(measured.Results, m)
		}
	}
	changed, err := s.app.plan.ChangesOf(ctx, s.in, measured, s.chain, before, source.ReadSeen(s.in.Seen))
	if err != nil {
		return err
	}
	if shown.Bridges, err = changed.Bridges(month.BridgeOptions{}); err != nil {
		return err
	}
	shown.Since = before
	for i := range shown.Bridges {
		s.block.Bridges = append(s.block.Bridges, shown.Bridges[i].Sealed(before.Number))
	}
	return nil
}

// account says what was read and what it came to.
func (c *closing) account(ctx context.Context) (*block.Block, error) {
	t := c.task
	b := &block.Block{Period: c.in.Closing, Time: time.Now(), User: t.User, Program: Version, Verdict: c.verdict(),
		Reason: t.Reason, Later: c.in.Later, Rows: c.tied.Rows, Totals: blockTotals(c.tied.Columns, c.tied.Totals),
		Findings: []block.Finding{}, Sources: []block.Source{}, References: []block.Reference{},
		Results: []block.Result{}}
	if b.User == "" {
		current, err := user.Current()
		if err != nil {
			return nil, option.Errorf("user", "who closes? The machine does not say: %w", err)
		}
		b.User = current.Username
	}
	if before := c.chain.Of(b.Period); before != nil {
		b.Restates = before.Number
	}
	p := &c.tied.Proof
	b.Proof = block.Proof{Read: p.Read, Used: p.Used, Suspense: p.Suspense, Dropped: p.Dropped}
	for i := range c.findings {
		if f := &c.findings[i]; f.Severity != finding.Note {
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
	return b, errors.Join(c.sealFiles(b), c.sealReferences(ctx, b), c.sealSources(ctx, b))
}

// sealFiles seals the plan and the references that it names.
func (c *closing) sealFiles(b *block.Block) error {
	for i, path := range c.app.plan.Files() {
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
func (c *closing) refer(b *block.Block, r block.Reference) {
	if !slices.Contains(b.References, r) {
		b.References = append(b.References, r)
	}
}

// sealReferences seals the files of other sets that were read: what records were reconciled against, and what was
// looked up.
func (c *closing) sealReferences(ctx context.Context, b *block.Block) error {
	for _, set := range c.app.sets {
		if set == c.in.Set {
			continue
		}
		hashes, err := set.Hashes(ctx, c.in.Reading.Jobs)
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
func (c *closing) sealSources(ctx context.Context, b *block.Block) error {
	seen := source.ReadSeen(c.in.Seen)
	hashes, err := c.in.Hashes(ctx, seen)
	if err != nil {
		return err
	}
	if c.in.Seen != "" {
		_ = seen.Write(c.in.Seen) // a hint, without which they are hashed again
	}
	hash := make(map[string]string)
	for _, h := range hashes {
		hash[h.Path] = h.SHA256
	}
	layouts := make(map[string]int)
	for _, row := range c.tied.Sources {
		of := &c.in.Set.Sources[row.Index]
		s := block.Source{File: block.File{Name: of.Name, SHA256: hash[of.Path]}, Source: of.Name,
			Size: of.Size, Entity: c.in.Set.Word(row.Index, "entity"), Fingerprint: c.prints.Of(row.Index),
			Rows: row.Rows, Totals: blockTotals(c.tied.Columns, row.Totals)}
		if frozen := c.in.FrozenAs(of.Path); frozen != nil {
			s.Size = frozen.Size
		}
		switch {
		case s.SHA256 != "":
			if s.Name, err = c.name(of.Path); err != nil {
				return err
			}
		case c.in.Set.IsQueried(row.Index):
			s.Query, s.Size = c.in.Set.Query(row.Index), 0
		}
		if p, ok := period.Parse(c.in.Set.Word(row.Index, "period")); ok {
			s.Period = p.String()
		}
		s.Layout = c.layout(b, layouts, row.Index)
		b.Sources = append(b.Sources, s)
	}
	return nil
}

// layout is the place of a source's columns among those of the block.
func (c *closing) layout(b *block.Block, known map[string]int, index int) (place int) {
	head := c.in.Set.Head(index)
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
