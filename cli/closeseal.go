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
	sources []block.Source // all of the block, of which some stand in earlier ones
	written *block.FigureWriter
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
	account := &month.Account{States: s.states(), Plan: s.app.plan, Task: s.task, In: s.in, Chain: s.chain,
		Tied: s.tied, Prints: s.prints,
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
	if account.KeptIn, err = s.writeFigures(); err != nil {
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
	if s.block.Earlier, err = s.base.Earlier(); err != nil {
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

// writeFigures writes the figures by source, and has the block seal them. Sources that stand in earlier blocks as they
// are are left to these.
func (s *sealing) writeFigures() (month.KeptIn, error) {
	s.block.Sort(s.block.Sources)
	var isRetained func(*block.Source) bool
	if s.retained != nil {
		isRetained = s.retained.isWritten
	}
	own := s.base.Divide(s.block, len(s.chain.Entries)+1, isRetained)
	s.sources, s.block.Sources = s.block.Sources, own
	name := strings.TrimSuffix(block.Name(len(s.chain.Entries)+1, s.block.Period), ".json") + ".csv.zst"
	output, err := s.create(name)
	if err != nil {
		return nil, err
	}
	s.ready = append(s.ready, output)
	output.Seal()
	err = show.WritePacked(output, "zst", func(w io.Writer) (err error) {
		if s.written, err = s.block.WriteFigures(w, s.base); err != nil {
			return err
		}
		return errors.Join(s.putFigures(s.written), s.written.Flush())
	})
	if err != nil {
		return nil, err
	}
	hash, err := output.SHA256()
	s.block.Figures = block.File{Name: name, SHA256: hash}
	return s.written.KeptIn, err
}

// eachResult visits what sources gave to the results of the block, by their places from 1.
func (s *sealing) eachResult(visit func(result int, g *month.Gave) error) error {
	for i, p := range s.results {
		if p == nil {
			continue
		}
		if g := p.figures(func(index int) string { return s.in.Set.Sources[index].Name }); g != nil {
			if err := visit(i+1, g); err != nil {
				return err
			}
		}
	}
	return nil
}

// putFigures gives the figures of all results to a writer: all of them to be told from those of earlier blocks, and
// then those that no earlier one has.
func (s *sealing) putFigures(w *block.FigureWriter) error {
	err := s.eachResult(func(result int, g *month.Gave) error {
		if err := g.Given(asResult(result, w.Give)); err != nil || g.Cells == nil {
			return err
		}
		return g.Cells(func(source string, c *block.Cell) { w.Take(result, source, c) })
	})
	if err == nil {
		err = w.Settle()
	}
	if err != nil {
		return err
	}
	return s.eachResult(func(result int, g *month.Gave) error {
		if g.Groups == nil {
			return nil
		}
		return g.Groups(func(source string) bool { return w.IsOwn(result, source) }, asResult(result, w.Write))
	})
}

// ownFigures gives the figures that were written.
func (s *sealing) ownFigures(visit func(*block.Figure) error) error {
	return s.eachResult(func(result int, g *month.Gave) error {
		isOwn := func(source string) bool { return s.written.IsOwn(result, source) }
		visit := asResult(result, visit)
		err := g.Given(func(f *block.Figure) error {
			if !isOwn(f.Source) {
				return nil
			}
			return visit(f)
		})
		if err != nil || g.Groups == nil {
			return err
		}
		return g.Groups(isOwn, visit)
	})
}

// asResult has figures be those of a result.
func asResult(result int, visit func(*block.Figure) error) month.AddFigure {
	return func(f *block.Figure) error {
		f.Result = result
		return visit(f)
	}
}

// bridge leads from the figures of the block before, or of the one that is restated, to those of this close.
func (s *sealing) bridge(ctx context.Context, account *month.Account, shown *view.Close) (err error) {
	for _, p := range s.parts {
		if m := p.measured(); m != nil {
			account.Measured = append(account.Measured, m)
		}
	}
	shown.Bridges, shown.Since, err = account.Bridges(ctx)
	if lost := new(block.LostError); errors.As(err, &lost) { // the close need not wait for it
		s.app.note([]string{lost.Error() + "; there are no bridges to it"})
		shown.Bridges, shown.Since, err = nil, s.chain.Since(s.in.Closing), nil
	}
	if err != nil || shown.Since == nil {
		return err
	}
	for i := range shown.Bridges {
		s.block.Bridges = append(s.block.Bridges, shown.Bridges[i].Sealed(shown.Since.Number))
	}
	return nil
}

// states are what became of the records of sources, by index; nil where none are retained.
func (s *sealing) states() []string {
	if s.retained == nil {
		return nil
	}
	return s.retained.done.States
}
