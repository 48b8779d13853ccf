package source

import (
	"bufio"
	"context"
	"errors"
	"slices"
	"sync/atomic"

	"lastblock/core/format/sheet"

	"golang.org/x/sync/errgroup"
)

// chooseParts finds out the formats of all sources, and puts the sheets that
// were chosen in the place of workbooks.
func (f *finder) chooseParts(ctx context.Context) error {
	sources := f.set.Sources
	var documents atomic.Bool
	err := f.share(ctx, len(sources), func(from, to int) error {
		for i := from; i < to; i++ {
			s := &sources[i]
			if s.as == nil {
				s.as = f.mannerOf(s)
			}
			if s.format != nil {
				continue // it is no file
			}
			if s.format = formatOf(s.Name); s.Size == 0 {
				s.format = text // an empty file is one whatever it is called
			}
			if s.format != text {
				documents.Store(true)
			}
		}
		return nil
	})
	if err != nil || !documents.Load() {
		return err
	}
	parts := make([][]Part, len(sources))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(1, f.search.Jobs))
	for i := range sources {
		s := &sources[i]
		if s.format == text || s.format == postgresql {
			continue
		}
		group.Go(func() (err error) {
			if err := ctx.Err(); err != nil {
				return err
			}
			parts[i], err = f.partsOf(s)
			var locked *sheet.LockedError
			if s.locked = f.search.KeepLocked && errors.As(err, &locked); s.locked || err == nil {
				return nil
			}
			return &Error{s.Name, err}
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	var all []Source
	for i, s := range sources {
		for _, part := range parts[i] {
			one := s
			inner := s.inner()
			inner.part = part
			one.within = &inner
			if s.manner().Choice.Sheet == "*" {
				one.Name += "/" + part.Sheet
			}
			all = append(all, one)
		}
		if parts[i] == nil {
			all = append(all, s)
		}
	}
	f.set.Sources, f.ordered = all, false
	return nil
}

// partsOf finds out the format of a file whose ending does not say enough, and
// its parts.
func (f *finder) partsOf(s *Source) ([]Part, error) {
	if s.manner().Lined {
		s.format = text
	}
	if s.format == nil && s.Size < 0 && s.Path != "-" {
		s.format = text // a pipe, which can be read once
	}
	if s.format == nil {
		sample, err := s.begin()
		if err != nil {
			return nil, err
		}
		s.format = formatByContent(sample)
	}
	if s.format.parts == nil || s.manner().Lined {
		return nil, nil
	}
	d, err := openDocumentOf(s)
	if err != nil {
		return nil, err
	}
	if s.Path == "-" { // to be read once more
		standardInput = bufio.NewReaderSize(d.reader(), standardInput.Size())
	} else {
		defer d.Close()
	}
	if s.format, err = formatWithin(d, s.format); err != nil || s.format.parts == nil {
		return nil, err
	}
	return s.format.parts(d, s.manner().Choice)
}

// mannerOf returns how a source is written: as the first pattern says that its
// name matches, or as is said of all.
func (f *finder) mannerOf(s *Source) *Manner {
	for _, named := range f.search.Manners {
		matches := named.Match != "" && f.globs.matchesAny([]string{named.Match}, s.below)
		if named.Match == "" && named.Name != nil {
			_, matches = named.Name.Match(s.below, "")
		}
		if matches {
			return named.Manner
		}
	}
	return f.search.Manner
}

// readNames takes the words out of the names of all sources. Sources of different patterns
// have the words of all of them, blank where their own has none.
func (f *finder) readNames() {
	manners := []*Manner{f.search.Manner}
	for _, named := range f.search.Manners {
		manners = append(manners, named.Manner)
	}
	for _, manner := range manners {
		if manner == nil || manner.Name == nil {
			continue
		}
		for _, word := range manner.Name.Words {
			if !slices.Contains(f.set.words, word) {
				f.set.words = append(f.set.words, word)
			}
		}
	}
	for i := range f.set.Sources {
		s := &f.set.Sources[i]
		pattern := f.set.PatternOf(i)
		if pattern == nil {
			continue
		}
		values, ok := pattern.Match(s.below, s.Sheet())
		if !ok || slices.Equal(pattern.Words, f.set.words) {
			s.Words = values
			continue
		}
		s.Words = make([]string, len(f.set.words))
		for k, word := range pattern.Words {
			s.Words[slices.Index(f.set.words, word)] = values[k]
		}
	}
}
