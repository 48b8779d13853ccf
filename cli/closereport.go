package cli

import (
	"io"
	"path/filepath"
	"strings"

	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/source"
	"lastblock/show"
	"lastblock/show/view"
)

// writePack writes what the checks came to beside the block, and has the block seal it.
func (s *sealing) writePack(shown *view.Close, forms []*month.Forms) (*reportable, error) {
	p := &pack.Pack{Period: s.block.Period, Verdict: s.block.Verdict}
	if shown.Since != nil {
		p.Since = shown.Since.Number
	}
	p.TakeTie(s.in.Set, s.tied)
	sets := []*source.Set{s.in.Set}
	for _, f := range forms {
		sets = append(sets, f.In.Set)
	}
	for _, part := range s.parts {
		if err := part.tell(p); err != nil {
			return nil, err
		}
	}
	p.TakeFindings(s.findings, sets, s.in.Decided)
	name := strings.TrimSuffix(block.Name(len(s.chain.Entries)+1, s.block.Period), ".json") + ".pack.json.zst"
	output, err := s.create(name)
	if err != nil {
		return nil, err
	}
	s.ready = append(s.ready, output)
	output.Seal()
	known, err := pack.KnownOf(s.chain, s.base.Use)
	if err != nil {
		return nil, err
	}
	if err := show.WritePacked(output, "zst", func(w io.Writer) error { return p.Write(w, known) }); err != nil {
		return nil, err
	}
	hash, err := output.SHA256()
	if err != nil {
		return nil, err
	}
	s.block.Pack = &block.File{Name: name, SHA256: hash}
	entry := s.chain.Coming(*s.block)
	state := pack.Closing
	if s.task.Rehearse {
		state = pack.Rehearsed
	}
	entry.SourceCount = len(s.sources)
	if entry.Earlier, err = s.base.Earlier(); err != nil {
		return nil, err
	}
	before, err := against(s.chain, shown.Since)
	if err != nil {
		return nil, err
	}
	return &reportable{all: pack.NewReport(p, state, entry, s.sources, before), block: &entry.Block,
		figures: func(visit func(*block.Figure) error) error {
			return s.chain.ComingFigures(entry, s.sources, s.ownFigures, visit)
		}}, nil
}

// gatherReports takes the reports that the plan asks for.
func (c *closing) gatherReports() error {
	return gatherEach(c, month.NewReport, func(r *month.Result[*month.Report]) error {
		if err := r.Task.Check(); err != nil {
			return r.Err(err)
		}
		name := r.Task.Result
		if name == "" {
			name = "pack"
		}
		if r.Task.Replace = true; len(r.Task.Out) == 0 { // which outputs may be replaced is for the chain to say
			for _, ending := range []string{month.PageEnding, month.WorkbookEnding} {
				r.Task.Out = append(r.Task.Out, filepath.Join(c.task.Results, name+ending))
			}
		}
		made := &reporting{Result: r}
		c.reports = append(c.reports, made)
		return c.app.createReport(made, c.in)
	})
}

// giveReports writes the reports that the plan asks for.
func (c *closing) giveReports(from *reportable) error {
	for _, r := range c.reports {
		if err := r.write(from); err != nil {
			return err
		}
	}
	return nil
}

// sealReports has the block seal the reports of the plan.
func (s *sealing) sealReports() error {
	if s.reported {
		return nil
	}
	for _, r := range s.reports {
		made := &madeResult{command: r.Command(), name: r.Name(), totals: []block.Total{}}
		for i, output := range r.outputs {
			file := closeOutput{output: output}
			if i > 0 {
				file.as = strings.TrimPrefix(filepath.Ext(output.Path()), ".")
			}
			if err := s.sealResult(nil, made, file); err != nil {
				return err
			}
		}
	}
	return nil
}
