package finding

import (
	"cmp"
	"slices"
)

// stages are kinds in the order of the work: what arrived, how it was read (all others), what it comes to, what
// is there twice, and how it agrees with a reference. What is wrong early shows again later: a file that is
// missing makes a total differ, and what has no total has nothing to agree with.
var stages = [][]Kind{
	{CheckMissing, ClosedPeriodChanged, FrozenSource},
	{NotFiled, NoSource, FiledTwice, NotOnRoster, DeclaredTwice, NoDeclaration, EmptyFile, NoText, NoRows, SameFile,
		ContainedFile, Overlap, Resubmission},
	nil,
	{RowCount, ControlTotal, HashTotal, DistinctCount, NotCompared, Unbalanced, SequenceGap, SequenceRepeat,
		OutsidePeriod, BlankValue, NotAllowed, RuleBroken},
	{SameRecord, SameKey, NearRecord, Reversal, CommonRecord, LapsedDrop},
	{Differs, OnlyHere, OnlyThere, Ambiguous, LooseKey, GaveUp, NoRate, OneCompany, NotFound, ManyFound, ValidTwice},
}

// ByCause puts findings first that others may follow from; those of one stage stay as they are.
func ByCause(findings []Finding) {
	slices.SortStableFunc(findings, func(a, b Finding) int { return cmp.Compare(a.Kind.stage(), b.Kind.stage()) })
}

func (k Kind) stage() int {
	others := 0
	for i, kinds := range stages {
		if kinds == nil {
			others = i
		}
		if slices.Contains(kinds, k) {
			return i
		}
	}
	return others
}
