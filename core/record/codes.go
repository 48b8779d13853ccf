package record

// Codes are the values of one column of a batch as whole numbers of 64 bits, the way formats of columns store amounts
// and dates: what counts or compares values need not go through their texts.
type Codes struct {
	Values []int64 // by row; nil where some are blank, or are no such numbers
	Form   Form
}

// Form says how the text of a value is made of its code. Forms can be compared, and of one form two codes are equal
// where their texts are.
type Form interface {
	Append(dst []byte, code int64) []byte
}

// CodesOf are the codes of a column, row by row; ok is false where there are none, or records were taken out since.
func (b *Batch) CodesOf(column int) (codes Codes, ok bool) {
	if column >= len(b.Codes) || len(b.Codes[column].Values) != b.Rows {
		return Codes{}, false
	}
	return b.Codes[column], true
}
