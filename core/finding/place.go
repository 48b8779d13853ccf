package finding

// Place is where one of several files or records stands that a finding is about.
type Place struct {
	Letter string `json:"place"`
	Source string `json:"source"`
	Sheet  string `json:"sheet,omitempty"`
	Line   int    `json:"line,omitempty"`  // 0 for a whole file
	Lines  string `json:"lines,omitempty"` // of a file of which some records are meant: "2-9,12"
	// Print is the fingerprint of the file, or of the record by what it means, in 16 hexadecimal digits; behind it that
	// of the record as it was sent, where a plan or a run reads it otherwise.
	Print  string            `json:"print"`
	Values map[string]string `json:"values,omitempty"`

	Texts []string `json:"-"` // of the whole record, for those who show it beside the others
}

// meant is the part of Print that says what a record means, by which the state of a finding is known.
func (p *Place) meant() string {
	const digits = 16
	if p.Line > 0 && len(p.Print) > digits {
		return p.Print[:digits]
	}
	return p.Print
}

// Letter is what the place with a number from 0 on is called: A to Z, AA, AB.
func Letter(n int) string {
	const letters = 26
	if n < letters {
		return string(rune('A' + n))
	}
	return Letter(n/letters-1) + Letter(n%letters)
}
