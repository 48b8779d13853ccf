// Package source finds what branches sent and reads it: which files a run is
// about and in which order, what their names tell, and their records, batch by
// batch, on all cores. What the records mean is for the capabilities to say.
package source

import (
	"fmt"
	"math"
	"slices"
	"time"

	"lastblock/core/source/shape"
	"lastblock/core/value/natural"
)

// Source is one file that a branch sent, one sheet of a workbook, or one entry
// of an archive.
type Source struct {
	Name  string   // as results call it: the path below the folder that was named
	Path  string   // of the file; "-" is standard input
	Size  int64    // in bytes; -1 where that is not known before reading
	Words []string // values of the set's words, in their order; nil where the name does not match its pattern

	changed  int64    // in nanoseconds since 1970
	identity identity // of the file, when it was found

	sent   []string // Words as the name has them, where it spells one otherwise; else nil
	below  string   // the path below the folder that was named, with entry and sheet
	format *Format
	locked bool      // it is protected by a password, and was asked for all the same
	early  *keptText // all of it, for the Look of the set that was found; nil, or none, where Find has not read it
	as     *Manner   // nil for the usual one
	within *within   // nil for a file that is one source
}

// within tells which part of a file a source is.
type within struct {
	file    string // the file's path below the folder that was named
	archive *archive
	entry   string // of the archive, as it calls it
	part    Part   // of the workbook
}

// inner is the place of a source in its file.
func (s *Source) inner() within {
	if s.within == nil {
		return within{file: s.below}
	}
	return *s.within
}

// Entry is the source's name in the archive that its file is, "" for none.
func (s *Source) Entry() string {
	if s.within == nil {
		return ""
	}
	return s.within.entry
}

// Sheet is the sheet of the workbook that the source is, "" for none.
func (s *Source) Sheet() string {
	if s.within == nil {
		return ""
	}
	return s.within.part.Sheet
}

// manner is how the source is written, as far as that is said.
func (s *Source) manner() *Manner {
	if s.as == nil {
		return new(Manner)
	}
	return s.as
}

// PassedOver is something that was found and is not read.
type PassedOver struct {
	Source string
	Reason string
	Binary string // what the file holds, where it is called like text and is none; "" for other reasons
}

// Set is what one run reads, in natural order.
type Set struct {
	Sources    []Source
	PassedOver []PassedOver

	Paths   []string // that were searched
	Recurse bool     // below folders, too
	Mode    ColumnMode
	Prefix  string // of the options that speak of these sources, as "against-"

	Beside []string // files that are read beside the sources, such as a control sheet
	beside []besideFile

	words    []string        // that names tell, by the patterns of all sources
	needed   []string        // columns that a record must not lack
	totals   *allTotals      // total lines; nil before a Scan or a Look
	looked   []look          // what Look found, by source; nil before
	kept     *kept           // where the texts are that it has kept; nil without any
	named    map[string]bool // paths that were named by themselves
	aside    *aside          // which sources a Scan found to be no data; nil before
	starts   map[int][]start // by source: where stretches of large ones begin; nil before a Scan
	narrowed *shape.Request  // by which the set is that of one part of a run; nil for none
	// narrowing is how records are narrowed as they are read, in a subset of such a set.
	narrowing *shape.Request

	prints *Fingerprints // nil where they are not taken
	// sources whose records are kept as they were sent, by name; of all copies of the set
	sent  map[string]bool
	spelt map[string]map[string]string // how values of words are written in the run, by word and spelling.Of
}

// ColumnMode says what becomes of columns that not all sources have.
type ColumnMode string

// The modes of columns.
const (
	AllColumns    ColumnMode = "all"    // each is kept, and blank where a source has none
	SharedColumns ColumnMode = "shared" // only those that all sources have are kept
	StrictColumns ColumnMode = "strict" // any difference is a "stop" finding
)

// IsPassedOver tells whether a Scan passed a source over: as an own output, or as one that
// holds no text although it is called so.
func (s *Set) IsPassedOver(index int) bool { return s.aside != nil && !s.aside.isData(index) }

// Changed is when the source was last written to; the zero time where that is not known.
func (s *Source) Changed() time.Time {
	if s.changed == unknownTime {
		return time.Time{}
	}
	return time.Unix(0, s.changed)
}

const unknownTime = math.MinInt64

// timeOf is a time in nanoseconds since 1970.
func timeOf(t time.Time) int64 {
	if t.IsZero() {
		return unknownTime
	}
	return t.UnixNano()
}

// FileBelow is the path of the source's file below the folder that was named.
func (s *Source) FileBelow() string { return s.inner().file }

// isNamed tells whether a source was named by itself, and not found in a folder, by a
// pattern or in an archive.
func (s *Set) isNamed(index int) bool {
	source := &s.Sources[index]
	return source.Entry() == "" && s.named[source.Path]
}

// Subset is a set of some of the sources, by their indices.
func (s *Set) Subset(indices []int) *Set {
	subset := &Set{words: s.words, spelt: s.spelt, sent: s.sent, narrowing: s.narrowed, named: s.named, Mode: s.Mode,
		Prefix: s.Prefix, needed: slices.Clone(s.needed)}
	if s.starts != nil {
		subset.starts = make(map[int][]start)
	}
	for _, i := range indices {
		if starts := s.starts[i]; starts != nil {
			subset.starts[len(subset.Sources)] = starts
		}
		subset.Sources = append(subset.Sources, s.Sources[i])
	}
	return subset
}

func (s *Set) passOver(p PassedOver) {
	s.PassedOver = append(s.PassedOver, p)
	slices.SortFunc(s.PassedOver, func(a, b PassedOver) int { return natural.Compare(a.Source, b.Source) })
}

// IsText tells whether a source is text, whose head costs little to look at;
// a document may have to be read through for it.
func (s *Set) IsText(index int) bool {
	format := s.Sources[index].format
	return format == nil || format.open == nil && format.connect == nil
}

// IsShared tells whether several goroutines may read a source.
func (s *Set) IsShared(index int) bool { return isShared(&s.Sources[index]) }

// IsVerbatim tells whether the records of a source come as they were sent: it is
// text, and no other form was asked for.
func (s *Set) IsVerbatim(index int) bool {
	return s.IsText(index) && s.Sources[index].manner().Shape == nil
}

// IsPart tells whether it was said of a source that it is one of several files for its
// entity and period.
func (s *Set) IsPart(index int) bool { return s.Sources[index].manner().Parts }

// IsRetained tells whether a source is read from the records that a block has retained of it.
func (s *Set) IsRetained(index int) bool { return s.Sources[index].manner().Lined }

// Bytes is the size of all sources, as far as it is known.
func (s *Set) Bytes() int64 {
	var total int64
	for i := range s.Sources {
		total += max(0, s.Sources[i].Size)
	}
	return total
}

// Words are the words of the patterns of names, each of which is a column of every record.
func (s *Set) Words() []string { return s.words }

// PatternOf is the pattern of a source's name, nil where it has none.
func (s *Set) PatternOf(index int) *NamePattern { return s.Sources[index].manner().Name }

// ForgetNames leaves out what names tell.
func (s *Set) ForgetNames() { s.words = nil }

// Word returns what a source's name says for a word, "" if nothing.
func (s *Set) Word(index int, word string) string {
	for i, w := range s.Words() {
		if w == word && s.Sources[index].Words != nil {
			return s.Sources[index].Words[i]
		}
	}
	return ""
}

// SentWord is what a source's name says for a word, as it is written there.
func (s *Set) SentWord(index int, word string) string {
	if sent := s.Sources[index].sent; sent != nil {
		return sent[slices.Index(s.words, word)]
	}
	return s.Word(index, word)
}

// Error is what went wrong with one source.
type Error struct {
	Source string
	Err    error
}

func (e *Error) Error() string { return fmt.Sprintf("%s: %v", e.Source, e.Err) }

func (e *Error) Unwrap() error { return e.Err }
