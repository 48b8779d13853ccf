// Package finding holds what checks noticed: the kinds of findings there are
// with their severities, and lists that stay small however much is found. The
// paragraph on each kind stands in docs/findings.md.
package finding

import (
	"cmp"
	"math"
	"slices"
)

// Kind names what was noticed.
type Kind string

// The kinds of findings.
const (
	RowCount      Kind = "row-count"      // rows differ from what was declared
	ControlTotal  Kind = "control-total"  // a total differs from what was declared
	NoDeclaration Kind = "no-declaration" // a source that the control sheet does not name
	NoSource      Kind = "no-source"      // declared, and not here
	DeclaredTwice Kind = "declared-twice" // two lines of the control sheet for one source
	HashTotal     Kind = "hash-total"     // a hash total differs from what was declared
	DistinctCount Kind = "distinct-count" // a number of distinct values differs from what was declared
	NotCompared   Kind = "not-compared"   // a column of the control sheet that says nothing of the sources

	NotFiled    Kind = "not-filed"     // nothing came for an entity and a period
	FiledTwice  Kind = "filed-twice"   // two files for one entity and period
	NotOnRoster Kind = "not-on-roster" // a file of somebody, or for a period, that is not expected

	Unbalanced     Kind = "unbalanced"      // two totals that have to be equal
	SequenceGap    Kind = "sequence-gap"    // numbers that are missing
	SequenceRepeat Kind = "sequence-repeat" // numbers that come again
	OutsidePeriod  Kind = "outside-period"  // dates that are not in the period of their file
	BlankValue     Kind = "blank-value"     // a value that is required and missing
	NotAllowed     Kind = "not-allowed"     // a value that is not on a list
	RuleBroken     Kind = "rule"            // a record for which a rule does not hold

	SameFile      Kind = "same-file"      // the same records in two files
	ContainedFile Kind = "contained-file" // a file whose records all stand in others, too
	Overlap       Kind = "overlap"        // files that have many records in common
	Resubmission  Kind = "resubmission"   // another file for the same entity and period, with changes
	SameRecord    Kind = "same-record"    // a record that stands more than once
	SameKey       Kind = "same-key"       // records with one key and different values
	NearRecord    Kind = "near-record"    // records that are almost the same
	Reversal      Kind = "reversal"       // the same amount with the opposite sign
	CommonRecord  Kind = "common-record"  // records that stand in too many files to compare these two by two
	LapsedDrop    Kind = "lapsed-drop"    // what was to be left out is not what it was

	Differs    Kind = "differs"     // both sides have it, with different values
	OnlyHere   Kind = "only-here"   // the reference lacks it
	OnlyThere  Kind = "only-there"  // only the reference has it
	Ambiguous  Kind = "ambiguous"   // a key that stands more than once and does not pair off
	LooseKey   Kind = "loose-key"   // keys that are one only because something makes no difference
	GaveUp     Kind = "gave-up"     // records for which not everything was tried
	NoRate     Kind = "no-rate"     // a currency and a day for which there is no exchange rate
	OneCompany Kind = "one-company" // records that are not about two companies
	NotFound   Kind = "not-found"   // a key that the reference lacks
	ManyFound  Kind = "many-found"  // a key that the reference has several times, with different values
	ValidTwice Kind = "valid-twice" // rows of a reference that hold on the same day

	LabelDiffers   Kind = "label-differs"   // a line of a form with another label than in the other forms
	DuplicateLabel Kind = "duplicate-label" // a label that two lines of a form have
	NoLabel        Kind = "no-label"        // figures without one
	RareLabel      Kind = "rare-label"      // a label that few forms have
	SimilarLabel   Kind = "similar-label"   // one that is nearly that of another line
	FiguresOutside Kind = "figures-outside" // figures of a form that are not where the others have theirs
	DoesNotFoot    Kind = "does-not-foot"   // a sum of others that is not what they come to
	EmptyForm      Kind = "empty-form"      // a form without any figure
	ProtectedFile  Kind = "protected-file"  // a file that nobody can read without its password
	FilledDiffers  Kind = "filled-differs"  // a form with more or fewer filled cells than the others
	NotAdded       Kind = "not-added"       // percentages, fractions and remarks among figures

	BadValue    Kind = "bad-value"    // a text that is not the amount it should be
	OtherValues Kind = "other-values" // values that are not of their column's kind
	BlankAmount Kind = "blank-amount" // an amount that is missing
	BlankDate   Kind = "blank-date"   // what was to be calculated from a date that is missing
	FieldCount  Kind = "field-count"  // a record with more or fewer fields than the header
	OpenQuote   Kind = "open-quote"   // a quote that is never closed
	StrayQuote  Kind = "stray-quote"  // text behind a closing quote

	MostlySuspended     Kind = "mostly-suspended"      // a source with most of its records in suspense
	ClosedPeriodChanged Kind = "closed-period-changed" // a source of a period that is closed is not as it was
	ReadDifferently     Kind = "read-differently"      // another version has read the same bytes otherwise

	FrozenSource Kind = "frozen-source" // a file of an entity whose records were frozen

	CheckMissing Kind = "check-missing" // a check that a close has to have and its plan lacks

	ShortRow       Kind = "short-row"       // records that end early, and were filled up with blank fields
	QuotesInText   Kind = "quotes-in-text"  // quotes that break more than a handful of records
	KeyedObjects   Kind = "keyed-objects"   // JSON in which objects by key became the columns of one record
	HeaderUnproven Kind = "header-unproven" // a first line of which nothing tells whether it is a record

	// a file that is called like text and holds a picture, a program or the like
	NoText         Kind = "no-text"
	EmptyFile      Kind = "empty-file"      // no bytes
	NoRows         Kind = "no-rows"         // a header and no records
	RepeatedHeader Kind = "repeated-header" // the header once more among the records
	RepeatedColumn Kind = "repeated-column" // a name that stands twice in a header
	UnnamedColumn  Kind = "unnamed-column"  // a column without a name
	BlankLine      Kind = "blank-line"      // lines with nothing on them
	MissingColumn  Kind = "missing-column"  // a column that is needed and that a source lacks
	ColumnsDiffer  Kind = "columns-differ"  // a source with other columns, or in another order
	RenamedColumn  Kind = "renamed-column"  // a column of ours whose name a branch has taken
	// an entity, a period or another word of names of sources that these write in several ways
	SpelledOtherwise Kind = "spelled-otherwise"

	UnmatchedName Kind = "unmatched-name" // a file whose name does not match the pattern of names
	NotUTF8       Kind = "not-utf8"       // bytes that are no UTF-8

	LinesAbove Kind = "lines-above" // lines above the header that are no records
	TotalLine  Kind = "total-line"  // a last line that sums up the records above it
	OneColumn  Kind = "one-column"  // text of one column, in which another delimiter stands
	// a line that begins like a total line and is not what the records come to
	TotalOrRecord   Kind = "total-or-record"
	HeaderContinues Kind = "header-continues" // a first record that looks like a second row of the header
	IndexColumn     Kind = "index-column"     // a column without a name that only numbers the records
	HiddenCells     Kind = "hidden-cells"     // rows, columns or a sheet that the sender does not see
	EncodingGuessed Kind = "encoding-guessed" // text that is no UTF-8, taken for a code page
	DecimalUnclear  Kind = "decimal-unclear"  // amounts of which the decimal mark is not proven
	DateUnclear     Kind = "date-unclear"     // dates of which the order is not proven
	DecimalsDiffer  Kind = "decimals-differ"  // amounts that go into one column with both decimal marks
)

var severities = map[Kind]Severity{
	RowCount: Stop, ControlTotal: Stop, NoDeclaration: Review, NoSource: Stop, DeclaredTwice: Stop,
	HashTotal: Stop, DistinctCount: Stop, NotCompared: Note,
	NotFiled: Stop, FiledTwice: Stop, NotOnRoster: Review,
	Unbalanced: Stop, SequenceGap: Review, SequenceRepeat: Review, OutsidePeriod: Review,
	SameFile: Stop, ContainedFile: Stop, Overlap: Stop, Resubmission: Review, SameRecord: Review, SameKey: Stop,
	NearRecord: Review, Reversal: Review, CommonRecord: Note, LapsedDrop: Stop,
	Differs: Stop, OnlyHere: Stop, OnlyThere: Stop, Ambiguous: Stop, LooseKey: Review, GaveUp: Review, NoRate: Stop,
	OneCompany: Note,
	NotFound:   Stop, ManyFound: Stop, ValidTwice: Stop,
	LabelDiffers: Stop, DuplicateLabel: Stop, NoLabel: Stop, RareLabel: Review, SimilarLabel: Review,
	FiguresOutside: Stop, DoesNotFoot: Stop, EmptyForm: Stop, ProtectedFile: Stop, FilledDiffers: Review,
	NotAdded:   Note,
	BlankValue: Review, NotAllowed: Review, RuleBroken: Review,
	BadValue: Review, OtherValues: Review, BlankAmount: Note, BlankDate: Note, FieldCount: Review, OpenQuote: Review,
	StrayQuote: Review, MostlySuspended: Stop, CheckMissing: Stop, ClosedPeriodChanged: Stop, ReadDifferently: Review,
	FrozenSource: Stop,
	ShortRow:     Review, QuotesInText: Review, HeaderUnproven: Review, KeyedObjects: Review,
	NoText: Review, EmptyFile: Review, NoRows: Review, RepeatedHeader: Note, RepeatedColumn: Review,
	UnnamedColumn: Note,
	BlankLine:     Note, MissingColumn: Stop, ColumnsDiffer: Note, RenamedColumn: Note, SpelledOtherwise: Note,
	UnmatchedName: Review,
	NotUTF8:       Note, LinesAbove: Note, TotalLine: Note, TotalOrRecord: Stop, OneColumn: Review, IndexColumn: Note,
	HiddenCells: Note, EncodingGuessed: Note,
	DecimalUnclear: Review, DateUnclear: Review, DecimalsDiffer: Review, HeaderContinues: Review,
}

// Doubles are the kinds of what would be counted twice, files first.
var Doubles = []Kind{SameFile, ContainedFile, Overlap, Resubmission, SameKey, SameRecord, NearRecord, Reversal}

// Suspending are the kinds of findings for which a record is in suspense.
var Suspending = []Kind{BadValue, FieldCount, OpenQuote, StrayQuote, TotalOrRecord}

// Reconciling are the kinds that tell how two sides stand to one another. They are what
// a reconciliation is about, and keep nothing from being written.
var Reconciling = []Kind{Differs, OnlyHere, OnlyThere, Ambiguous}

// Severity returns the severity of a kind.
func (k Kind) Severity() Severity { return severities[k] }

// Kinds returns all kinds, sorted.
func Kinds() []Kind {
	kinds := make([]Kind, 0, len(severities))
	for k := range severities {
		kinds = append(kinds, k)
	}
	slices.Sort(kinds)
	return kinds
}

// Finding is one thing that was noticed, with its place. Amounts are exact
// decimals in plain form.
type Finding struct {
	ID       string   `json:"id"` // the same as long as the finding is about the same; see Identify
	Kind     Kind     `json:"kind"`
	Severity Severity `json:"severity"`
	Source   string   `json:"source,omitempty"`
	Sheet    string   `json:"sheet,omitempty"`
	Line     int      `json:"line,omitempty"`
	Column   string   `json:"column,omitempty"`
	// what it is about where that is no place: a document, an entity and its period
	Key        string `json:"key,omitempty"`
	Expected   string `json:"expected,omitempty"`
	Found      string `json:"found,omitempty"`
	Difference string `json:"difference,omitempty"`
	Count      int    `json:"count,omitempty"`  // how many lines or records it speaks of, where not one
	Amount     string `json:"amount,omitempty"` // of the record that it is about
	Totals     Totals `json:"totals,omitempty"` // of that record, where several are asked for: those that are not zero
	Message    string `json:"message"`
	State      string `json:"state"` // another one where what the finding says has changed

	// Places are where the files or records are that are doubles, the first of
	// them being the place of the finding. They are called A, B, C and so on.
	Places []Place `json:"places,omitempty"`

	// Accepted is the reason for which somebody has accepted the finding, which
	// then no longer stops anything. Lapsed says of such a decision why it does
	// not hold any more.
	Accepted string `json:"accepted,omitempty"`
	Lapsed   string `json:"lapsed,omitempty"`

	Order  int    `json:"-"` // where its source stands in the run
	Rest   bool   `json:"-"` // stands for Count findings that are not listed
	Record uint64 `json:"-"` // fingerprint of the record or the records that it is about, 0 for none
}

// Money is the amount by which findings of its kind are added up: that of its
// record, or else the difference; ok is false where it has none.
func (f *Finding) Money() (text string, ok bool) {
	if f.Amount != "" {
		return f.Amount, true
	}
	return f.Difference, f.Difference != ""
}

// Kept is how many findings of one kind are kept one by one. Beyond it, the
// first ones stay and the others are counted by source and column.
const Kept = 20_000

// List collects findings. The zero value is ready. A List is not for
// concurrent use; several are merged at the end, and the outcome does not
// depend on which of them a finding went into.
type List struct {
	kept   map[Kind][]Finding
	cutoff map[Kind]Finding // behind which none is kept any more
	count  map[group]int
	whole  *whole // nil where the first ones of each kind are enough
}

type group struct {
	kind   Kind
	order  int
	source string
	column string
}

// Add takes a finding in; its severity follows from its kind, unless it has one.
func (l *List) Add(f Finding) {
	if f.Severity == "" {
		f.Severity = f.Kind.Severity()
	}
	l.whole.add(&f)
	l.add(f)
	l.count[groupOf(f)]++
}

// Full tells that a finding of this kind and place would only be counted, so
// that nobody needs to make a message of it.
func (l *List) Full(kind Kind, order, line int) bool {
	cutoff, full := l.cutoff[kind]
	return full && l.whole == nil && (order > cutoff.Order || order == cutoff.Order && line > cutoff.Line)
}

func (l *List) add(f Finding) {
	if l.kept == nil {
		l.kept = make(map[Kind][]Finding)
		l.cutoff = make(map[Kind]Finding)
		l.count = make(map[group]int)
	}
	if cutoff, full := l.cutoff[f.Kind]; full && compare(f, cutoff) > 0 {
		return
	}
	kept := append(l.kept[f.Kind], f)
	if len(kept) >= 2*Kept {
		kept = first(kept)
		l.cutoff[f.Kind] = kept[Kept-1]
	}
	l.kept[f.Kind] = kept
}

func groupOf(f Finding) group { return group{f.Kind, f.Order, f.Source, f.Column} }

func first(findings []Finding) []Finding {
	slices.SortFunc(findings, compare)
	return findings[:min(len(findings), Kept)]
}

// compare orders by source, then line, then kind and column, and at last by all
// that may differ.
func compare(a, b Finding) int {
	return cmp.Or(
		cmp.Compare(a.Order, b.Order), cmp.Compare(a.Line, b.Line),
		cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Column, b.Column), cmp.Compare(a.Source, b.Source),
		cmp.Compare(a.Key, b.Key), cmp.Compare(a.Message, b.Message),
	)
}

// Merge takes in all findings of o, which must not be used any more.
func (l *List) Merge(o *List) {
	for _, kept := range o.kept {
		for _, f := range kept {
			l.add(f)
		}
	}
	for g, n := range o.count {
		l.count[g] += n
	}
	l.whole.merge(o.whole)
}

// All returns the findings in the order of sources and lines. Where more than
// Kept of a kind were found, one finding per source and column counts the rest.
func (l *List) All() []Finding {
	room := 0
	for _, kept := range l.kept {
		room += len(kept)
	}
	all := make([]Finding, 0, room)
	for kind, kept := range l.kept {
		l.kept[kind] = first(kept)
		for _, f := range l.kept[kind] {
			l.count[groupOf(f)]--
			all = append(all, f)
		}
	}
	for g, rest := range l.count {
		if rest > 0 {
			all = append(all, restOf(g, rest))
		}
	}
	for _, kept := range l.kept {
		for _, f := range kept {
			l.count[groupOf(f)]++
		}
	}
	slices.SortStableFunc(all, compare)
	var identifier identifier
	for i := range all {
		identifier.identify(&all[i])
		if all[i].Line == math.MaxInt {
			all[i].Line = 0
		}
	}
	return all
}
