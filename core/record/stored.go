package record

// Stored are the values of one column of a batch as a format of columns stores them: whole numbers of 64 bits where
// they are amounts or dates, or texts. What counts or compares values then need not take them out of records.
type Stored struct {
	Codes []int64 // by row; nil where the values are texts, or neither
	Form  Form    // of the codes
	Nulls []bool  // rows without a value, of codes; nil for none

	Bytes []byte   // the texts, one behind the other
	Ends  []uint32 // where each of them ends, by row
}

// Form says how the text of a value is made of its code. Forms can be compared, and of one form two codes are equal
// where their texts are.
type Form interface {
	Append(dst []byte, code int64) []byte
}

// Decimals is a Form of amounts: whole numbers of which so many digits stand behind the decimal point.
type Decimals interface {
	Form
	Scale() int
}

// IsNull tells whether a row has no value, in a column of codes.
func (s *Stored) IsNull(row int) bool { return len(s.Nulls) > 0 && s.Nulls[row] }

// Text is the text of a row, in a column of texts.
func (s *Stored) Text(row int) []byte {
	from := uint32(0)
	if row > 0 {
		from = s.Ends[row-1]
	}
	return s.Bytes[from:s.Ends[row]]
}

// CodesOf is a column that is stored as codes; nil where it is not, or records were taken out since.
func (b *Batch) CodesOf(column int) *Stored {
	if column >= len(b.Stored) || len(b.Stored[column].Codes) != b.Rows || b.Rows == 0 {
		return nil
	}
	return &b.Stored[column]
}

// TextsOf is a column that is stored as texts, likewise.
func (b *Batch) TextsOf(column int) *Stored {
	if column >= len(b.Stored) || len(b.Stored[column].Ends) != b.Rows || b.Rows == 0 {
		return nil
	}
	return &b.Stored[column]
}
