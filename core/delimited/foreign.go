package delimited

import (
	"bytes"
	"fmt"
)

// ForeignError says that a source is no delimited text in UTF-8 or in a code
// page of single bytes.
type ForeignError struct {
	Kind   string // what it is
	Advice string // what to do
}

func (e *ForeignError) Error() string {
	return fmt.Sprintf("this is %s, not delimited text that can be read here; %s", e.Kind, e.Advice)
}

// foreign are formats by the bytes with which their files begin.
var foreign = []struct {
	begin string
	error ForeignError
}{
	{"\xff\xfe", ForeignError{"text in UTF-16", "save it as UTF-8"}},
	{"\xfe\xff", ForeignError{"text in UTF-16", "save it as UTF-8"}},
	{"PK\x03\x04", ForeignError{"a workbook or another zip file", "save its sheet as CSV"}},
	{"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", ForeignError{"a workbook of the old binary kind", "save its sheet as CSV"}},
	{"\x1f\x8b", ForeignError{"a file compressed with gzip", "unpack it first"}},
	{"\x28\xb5\x2f\xfd", ForeignError{"a file compressed with zstd", "unpack it first"}},
	{"%PDF-", ForeignError{"a PDF", "ask the branch for the data itself"}},
}

// checkForeign returns a *ForeignError where a source begins like something
// else. UTF-16 without a mark is known by its noughts: half the bytes of text
// in a Latin script.
func checkForeign(sample []byte) error {
	for i := range foreign {
		if bytes.HasPrefix(sample, []byte(foreign[i].begin)) {
			return &foreign[i].error
		}
	}
	const enough = 1 << 10
	start := sample[:min(len(sample), enough)]
	if noughts := bytes.Count(start, []byte{0}); len(start) >= 4 && 5*noughts >= 2*len(start) {
		return &foreign[0].error
	}
	return nil
}
