package month

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"

	"lastblock/core/month/block"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// A source whose file is not as it was sealed is frozen from the records that its block has retained: as delimited
// text of its columns, and the line of each record behind them. It then stands for the file that was sealed.

// marks are the decimal marks that amounts may have in the retained records of a source.
var marks = []byte{'.', ','}

// fromRecords makes sure that the records which a block has retained of a source come to all that it has sealed of it,
// and finds out how amounts are written in them; ok is false where they do not, or there are none.
func (s *FrozenSource) fromRecords(chain *block.Chain, sealed *block.Source) (ok bool, err error) {
	e := &chain.Entries[s.Block-1]
	if e.Block.Records == nil || sealed.Layout == 0 {
		return false, nil
	}
	rows, sums, unread := 0, make([][]amount.Sum, len(marks)), make([]int, len(marks))
	for k := range marks {
		sums[k] = make([]amount.Sum, len(sealed.Totals))
	}
	err = s.eachRecord(chain, func(columns []string, r *block.Record) error {
		if rows++; !r.IsUsed() {
			return nil
		}
		for i, total := range sealed.Totals {
			at := slices.Index(columns, total.Column)
			if at < 0 {
				continue
			}
			for k, mark := range marks {
				value, err := amount.Parse([]byte(r.Texts[at]), mark)
				if err != nil && err != amount.ErrBlank {
					unread[k]++
				}
				sums[k][i].Add(value)
			}
		}
		return nil
	})
	if err != nil || rows != sealed.Rows {
		return false, err
	}
	for k, mark := range marks {
		agrees := unread[k] == 0
		for i, total := range sealed.Totals {
			agrees = agrees && sums[k][i].Amount().String() == total.Amount
		}
		if agrees {
			s.Decimal = string(mark)
			return true, nil
		}
	}
	return false, nil
}

// eachRecord visits the records that were retained of the source.
func (s *FrozenSource) eachRecord(chain *block.Chain, visit func(columns []string, r *block.Record) error) error {
	return chain.Records(&chain.Entries[s.Block-1], func(name string) bool { return name == s.Source }, visit)
}

// unreadable is a line that had no fields, with more of them than there are columns, so that it has none again.
func unreadable(raw string, columns int) []string {
	fields := make([]string, columns+1)
	for i := range fields {
		fields[i] = "-"
	}
	fields[0] = raw
	return fields
}

// WriteRecords writes the retained records of a source that is frozen from them.
func (s *FrozenSource) WriteRecords(chain *block.Chain, w io.Writer) error {
	out := csv.NewWriter(w)
	cells := append(slices.Clone(s.Columns), record.LineColumn)
	if err := out.Write(cells); err != nil {
		return err
	}
	var places []int
	err := s.eachRecord(chain, func(columns []string, r *block.Record) error {
		if places == nil {
			for _, name := range s.Columns {
				places = append(places, slices.Index(columns, name))
			}
		}
		switch {
		case r.State == string(tally.Dropped):
			return nil // the copy has no condition that would leave it out again
		case r.Raw != "":
			return out.Write(unreadable(r.Raw, len(cells)))
		}
		for i, at := range places {
			if cells[i] = ""; at >= 0 {
				cells[i] = r.Texts[at]
			}
		}
		cells[len(places)] = strconv.Itoa(r.Line)
		return out.Write(cells)
	})
	out.Flush()
	if err == nil {
		err = out.Error()
	}
	return err
}

// FrozenAs is the frozen source that a file is a copy of, nil for none.
func (in *Input) FrozenAs(path string) *FrozenSource {
	if in.standing == nil || len(in.standing.Frozen) == 0 {
		return nil
	}
	if in.copies == nil {
		in.copies = make(map[string]*FrozenSource)
		for _, f := range in.standing.Frozen {
			for i := range f.Sources {
				s := &f.Sources[i]
				in.copies[filepath.Join(in.planned, FrozenFolder, filepath.FromSlash(s.File))] = s
			}
		}
	}
	return in.copies[path]
}

// Hashes are the SHA-256 of the files of the sources; seen knows some, unless they are to be sealed. Records of a
// frozen source stand for the file that was sealed, as long as they are as they were written.
func (in *Input) Hashes(ctx context.Context, seen *Seen) ([]source.Hash, error) {
	if !in.Seals {
		return in.hash(ctx, seen)
	}
	var err error
	if in.hashes == nil {
		in.hashes, err = in.hash(ctx, seen.Anew())
	}
	return in.hashes, err
}

func (in *Input) hash(ctx context.Context, seen *Seen) ([]source.Hash, error) {
	hashes, err := in.Set.HashesSeen(ctx, in.Reading.Jobs, seen)
	if err != nil || in.standing == nil || len(in.standing.Frozen) == 0 {
		return hashes, err
	}
	for i := range hashes {
		if s := in.FrozenAs(hashes[i].Path); s != nil && s.Copy != "" && s.Copy == hashes[i].SHA256 {
			hashes[i].SHA256 = s.SHA256
		}
	}
	return hashes, nil
}

// StandFor are the SHA-256 of files that stand for others, and those of these.
func (s *Standing) StandFor() map[string]string {
	others := make(map[string]string)
	for _, f := range s.Frozen {
		for i := range f.Sources {
			if of := &f.Sources[i]; of.Copy != "" {
				others[of.Copy] = of.SHA256
			}
		}
	}
	return others
}

// notThere says why a source cannot be frozen.
func (s *FrozenSource) notThere(what string) error {
	if s.Of != "" { // no block retains those of forms
		return fmt.Errorf("the form %s of %s %s as block %d has sealed it; put it back from a copy, or close its "+
			"period again first", s.Source, s.Of, what, s.Block)
	}
	return fmt.Errorf("%s %s as block %d has sealed it, and the block has not retained all of its records; put it "+
		"back from a copy, or close its period again first", s.Source, what, s.Block)
}
