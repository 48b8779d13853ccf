package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/month"
	"lastblock/core/month/block"
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

// seal writes the results, gives what the close came to, and places all with the block that seals it; of a rehearsal
// nothing is placed.
func (c *closing) seal(ctx context.Context, shown *view.Close, give func(*reportable) error) error {
	held := io.Closer(io.NopCloser(nil))
	if !c.task.Rehearse {
		var err error
		if held, err = c.chain.Hold(filepath.Base(c.task.Plan)); err != nil {
			return err
		}
	}
	s := &sealing{closing: c}
	err := s.seal(ctx, shown, give)
	return errors.Join(err, held.Close())
}

// seal is that of the close, while nobody else can add a block.
func (s *sealing) seal(ctx context.Context, shown *view.Close, give func(*reportable) error) (err error) {
	account := &month.Account{Plan: s.app.plan, Task: s.task, In: s.in, Chain: s.chain, Tied: s.tied, Prints: s.prints,
		Findings: s.findings, Verdict: s.verdict(), Program: Version}
	for _, p := range s.parts {
		if of, ok := p.(*closeOverlay); ok && of.forms != nil {
			account.Forms = append(account.Forms, of.forms)
		}
	}
	for _, set := range s.app.sets {
		isForms := slices.ContainsFunc(s.parts, func(p closePart) bool {
			of, ok := p.(*closeOverlay)
			return ok && of.in.Set == set
		})
		if set != s.in.Set && !isForms {
			account.References = append(account.References, set)
		}
	}
	if s.block, err = account.Block(ctx); err != nil {
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
	if err := s.bridge(ctx, account, shown); err != nil {
		return err
	}
	from, err := s.writePack(shown, account.Forms)
	if err == nil {
		err = give(from)
	}
	if err == nil {
		err = s.sealReports()
	}
	if err != nil {
		return err
	}
	entry, data, err := s.chain.Next(*s.block)
	if err != nil {
		return err
	}
	shown.Block, shown.Left, shown.Standing = entry, s.left, s.chain.Standing(&entry.Block)
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
		return errors.Join(s.figures(figures.Write), figures.Flush())
	})
	if err != nil {
		return err
	}
	hash, err := output.SHA256()
	s.block.Figures = block.File{Name: name, SHA256: hash}
	return err
}

// figures gives the figures of all results.
func (s *sealing) figures(visit func(*block.Figure) error) error {
	for i, p := range s.results {
		if p == nil {
			continue
		}
		add := func(f *block.Figure) error {
			f.Result = i + 1
			return visit(f)
		}
		if err := p.figures(add, func(index int) string { return s.in.Set.Sources[index].Name }); err != nil {
			return err
		}
	}
	return nil
}

// bridge leads from the figures of the block before, or of the one that is restated, to those of this close.
func (s *sealing) bridge(ctx context.Context, account *month.Account, shown *view.Close) (err error) {
	for _, p := range s.parts {
		if m := p.measured(); m != nil {
			account.Measured = append(account.Measured, m)
		}
	}
	if shown.Bridges, shown.Since, err = account.Bridges(ctx); err != nil || shown.Since == nil {
		return err
	}
	for i := range shown.Bridges {
		s.block.Bridges = append(s.block.Bridges, shown.Bridges[i].Sealed(shown.Since.Number))
	}
	return nil
}
