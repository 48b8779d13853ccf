package record

// The columns that Lastblock puts behind the data, so that every record tells
// where it came from.
const (
	SourceColumn = "source"

	// The columns of records that were kept with what became of them: used, suspense, dropped or left; why; and a
	// record that has no fields of its own, as it was sent.
	StateColumn  = "record_state"
	ReasonColumn = "record_reason"
	RawColumn    = "record_raw"

	LineColumn = "source_line"
)

// Place is where a record stands: the number of its source in the set, and the line on which it
// starts, in one integer. Places are in the order of sources and lines.
type Place uint64

const lineBits = 40

// PlaceOf is the place on a line of the source with an index.
func PlaceOf(index, line int) Place { return Place(index)<<lineBits | Place(line) }

// Source is the index of the source.
func (p Place) Source() int { return int(p >> lineBits) }

// Line is the line of the source.
func (p Place) Line() int { return int(p & (1<<lineBits - 1)) }
