package source

import "lastblock/core/record"

// ShortRows says what becomes of records of text that end early, since their sender leaves
// out blank fields at the end.
type ShortRows string

// What becomes of them.
const (
	FindShort    ShortRows = ""        // they are filled up where only columns are missing that the run does not need
	PadShort     ShortRows = "pad"     // all are filled up with blank fields
	SuspendShort ShortRows = "suspend" // none is
)

// Need notes columns that a run needs of each record, by name or as "#3", so that one which
// ends before them is not filled up by itself.
func (s *Set) Need(columns ...string) { s.needed = append(s.needed, columns...) }

// IsToBePadded tells whether it was said that short records of a source are filled up.
func (s *Set) IsToBePadded(index int) bool { return s.Sources[index].manner().ShortRows == PadShort }

// leastFields is how many fields a record of a source must have to be filled up. By itself
// one is filled up that has at least two, half of all there are, and all that the run needs.
func (f *feed) leastFields(s *Source, head *record.Head) int {
	if s.manner().ShortRows == PadShort {
		return 1
	}
	shape := f.shapeOf(s, head)
	columns := len(head.Layout.Columns)
	least := max(2, (columns+1)/2)
	for _, name := range f.set.needed {
		if at, ok := shape.Sent(name); ok {
			least = max(least, at+1)
		}
	}
	for _, at := range shape.Read() {
		least = max(least, at+1)
	}
	return least
}
