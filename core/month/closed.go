package month

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/period"
)

// BlocksFolder is the folder of the blocks of the plan.
func (p *Plan) BlocksFolder() string {
	if folder := p.Closed().Blocks; folder != "" {
		return folder
	}
	return filepath.Join(filepath.Dir(p.parsed.File), "blocks")
}

// Chain reads the blocks of the plan.
func (p *Plan) Chain() (*block.Chain, error) {
	return block.Read(p.BlocksFolder(), filepath.Base(p.parsed.File))
}

// Noticed are findings for files of entities that were frozen, and for sources that are not as they were closed:
// that have changed or gone since, or are there now for a period that was closed. Of these nothing is found while
// no block is there, or only part of the sources is read.
func (p *Plan) Noticed(ctx context.Context, in *Input) ([]finding.Finding, error) {
	if in.Partial {
		return in.Arrived, nil
	}
	chain, err := p.Chain()
	if err != nil || chain.Last() == nil {
		return in.Arrived, err
	}
	changed, err := ClosedChanged(ctx, in, chain)
	return append(slices.Clip(in.Arrived), changed...), err
}

// ClosedChanged are those findings against a chain that was read.
func ClosedChanged(ctx context.Context, in *Input, chain *block.Chain) ([]finding.Finding, error) {
	stands, through, err := chain.Stands()
	stands = slices.DeleteFunc(stands, func(s block.Standing) bool { return s.Of != in.of })
	if err != nil || len(stands) == 0 {
		return nil, err
	}
	seen := source.ReadSeen(in.Seen)
	hashes, err := in.Hashes(ctx, seen)
	if err != nil {
		return nil, err
	}
	if in.Seen != "" {
		_ = seen.Write(in.Seen) // a hint, without which they are hashed again
	}
	c := &closedCheck{in: in, through: through, hashes: make(map[string]string)}
	for _, h := range hashes {
		c.hashes[h.Path] = h.SHA256
	}
	return c.run(ctx, stands)
}

// closedCheck looks for what has changed in closed periods.
type closedCheck struct {
	in       *Input
	through  period.Period
	hashes   map[string]string // by path
	findings []finding.Finding
}

func (c *closedCheck) run(ctx context.Context, stands []block.Standing) ([]finding.Finding, error) {
	set := c.in.Set
	at := make(map[string]int)
	for i := range set.Sources {
		at[set.Sources[i].Name] = i
	}
	known := make(map[string]bool)
	moved := make(map[string]int) // how many that are gone have some content
	var doubtful []int
	doubts := make(map[string]*block.Standing)
	var gone []*block.Standing
	for k := range stands {
		s := &stands[k]
		known[s.Source.Source] = true
		i, there := at[s.Source.Source]
		switch hash := ""; {
		case !there:
			gone = append(gone, s)
			moved[movedKey(s)]++
		default:
			if hash = c.hashes[set.Sources[i].Path]; hash == s.SHA256 && hash != "" {
				continue
			}
			if isPart(set, i) && c.in.of == "" {
				doubtful, doubts[s.Source.Source] = append(doubtful, i), s
				continue
			}
			c.tell(s.Source.Source, s.Number, "has changed since", s.SHA256, hash)
		}
	}
	if err := c.settle(ctx, doubtful, doubts); err != nil {
		return nil, err
	}
	here := make(map[string]int)
	for i := range set.Sources {
		of, ok := period.Parse(set.Word(i, tally.PeriodWord))
		name := set.Sources[i].Name
		if !ok || of.Last() > c.through.Last() || known[name] {
			continue
		}
		hash := c.hashes[set.Sources[i].Path]
		key := moveKey(hash, inner(name, filepath.ToSlash(set.Sources[i].Path)), set.Word(i, tally.EntityWord),
			set.Word(i, tally.PeriodWord))
		if moved[key] > here[key] {
			here[key]++ // under another name
			continue
		}
		c.tell(name, 0, "has come since", "", hash)
	}
	for _, s := range gone {
		if key := movedKey(s); here[key] > 0 {
			here[key]--
			continue
		}
		c.tell(s.Source.Source, s.Number, "is gone", s.SHA256, "")
	}
	return c.findings, nil
}

// movedKey is that of a source as it was sealed.
func movedKey(s *block.Standing) string {
	return moveKey(s.SHA256, inner(s.Source.Source, s.Name), s.Entity, s.Period)
}

// isPart tells whether the bytes of a source's file say little of its records: it is an entry or a sheet, or comes
// from a database.
func isPart(set *source.Set, index int) bool {
	of := &set.Sources[index]
	return of.Entry() != "" || of.Sheet() != "" || set.IsQueried(index)
}

// settle reads entries and sheets of files that have changed, to tell which of them have.
func (c *closedCheck) settle(ctx context.Context, indices []int, doubts map[string]*block.Standing) error {
	if len(indices) == 0 {
		return nil
	}
	now, err := fingerprints(ctx, c.in, indices)
	if err != nil {
		return err
	}
	for _, i := range indices {
		name := c.in.Set.Sources[i].Name
		if s := doubts[name]; now[name] != s.Fingerprint {
			c.tell(name, s.Number, "has changed since", s.Fingerprint, now[name])
		}
	}
	return nil
}

// tell adds a finding about a source: the block that has sealed it, 0 for none, and its content before and now.
func (c *closedCheck) tell(name string, number int, what, was, is string) {
	f := finding.Finding{Kind: finding.ClosedPeriodChanged, Source: name, Key: c.in.of, // a form may be called so, too
		Severity: finding.ClosedPeriodChanged.Severity(), Expected: block.Short(was), Found: block.Short(is)}
	sealed := fmt.Sprintf("its period is closed through %s", c.through)
	if number > 0 {
		sealed = fmt.Sprintf("it was sealed in block %d", number)
	}
	f.Message = fmt.Sprintf("%s, and it %s; changes shows what that does, close ⟨restate⟩ closes the period again, "+
		"and accepted it goes into the next close", sealed, what)
	f.ID, f.State = finding.Identify(&f, 0), finding.StateOf(&f)
	c.findings = append(c.findings, f)
}
