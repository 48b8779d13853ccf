package source

import (
	"slices"

	"lastblock/core/record"
)

// takeDelimiterLines takes lines of delimited text out of a batch that have delimiters and nothing else, as
// spreadsheets save blank rows: they are blank lines and no records, however many delimiters there are. room is for
// what is kept.
func takeDelimiterLines(b *record.Batch, delimiter byte, room []bool) []bool {
	keep, stride, taken := room[:0], b.Stride(), 0
	for row := range b.Rows {
		bounds := b.Bounds[row*stride : row*stride+b.Width+1]
		column := 0
		for column < b.Width && bounds[column]+1 == bounds[column+1] {
			column++
		}
		if column < b.Width {
			continue
		}
		if taken++; taken == 1 {
			keep = slices.Grow(keep, b.Rows)[:b.Rows]
			for i := range keep {
				keep[i] = true
			}
		}
		keep[row] = false
		line := b.Line(row)
		b.Padded = slices.DeleteFunc(b.Padded, func(p record.Padded) bool { return p.Line == line })
	}
	if taken > 0 {
		b.Keep(keep)
		b.Blank += taken
	}
	before := len(b.Refused)
	b.Refused = slices.DeleteFunc(b.Refused, func(r record.Refusal) bool {
		return r.Reason == record.FieldCount && isDelimiters(r.Raw, delimiter)
	})
	b.Blank += before - len(b.Refused)
	return keep
}

func isDelimiters(line []byte, delimiter byte) bool {
	for _, c := range line {
		if c != delimiter {
			return false
		}
	}
	return true
}
