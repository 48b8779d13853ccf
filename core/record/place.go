package record

// The columns that Lastblock puts behind the data, so that every record tells
// where it came from.
const (
	SourceColumn = "source"
	LineColumn   = "source_line"
)
