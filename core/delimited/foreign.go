package delimited

import (
	"bytes"
	"fmt"
)

// ForeignError says that a source is no delimited text.
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
	{"PK\x03\x04", ForeignError{"a workbook or another zip file", "save its sheet as CSV"}},
	{"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", ForeignError{"a workbook of the old binary kind", "save its sheet as CSV"}},
	{"%PDF-", ForeignError{"a PDF", "ask the branch for the data itself"}},
}

// checkForeign returns a *ForeignError where a source begins like something
// else.
func checkForeign(sample []byte) error {
	for i := range foreign {
		if bytes.HasPrefix(sample, []byte(foreign[i].begin)) {
			return &foreign[i].error
		}
	}
	return nil
}
