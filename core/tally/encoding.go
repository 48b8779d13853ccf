package tally

import (
	"unicode/utf8"

	"lastblock/core/source"
)

// guessLine notes the first line that is not ASCII: the header, or one of the
// batch.
func (a *seldom) guessLine(b *source.Batch) {
	for _, c := range b.Head.Header {
		if c >= utf8.RuneSelf {
			a.guessed, a.guessedLine = b.Guessed, b.Head.Line
			return
		}
	}
	for row := range b.Batch.Rows {
		for _, c := range b.Raw(row) {
			if c >= utf8.RuneSelf {
				a.guessed, a.guessedLine = b.Guessed, b.Line(row)
				return
			}
		}
	}
}
