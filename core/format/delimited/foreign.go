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
	{"PK\x03\x04", ForeignError{"a workbook or another zip file",
		"name it .xlsx, .ods or .zip to have it read as what it is"}},
	{"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", ForeignError{"a workbook of the old binary kind (.xls), or one with a " +
		"password", "have it saved as .xlsx, without one"}},
	{"PAR1", ForeignError{"a Parquet file", "name it .parquet to have it read"}},
	{"<html", ForeignError{"a web page", "ask the branch for the data itself"}},
	{"<HTML", ForeignError{"a web page", "ask the branch for the data itself"}},
	{"<!DOCTYPE", ForeignError{"a web page", "ask the branch for the data itself"}},
	{"<?xml", ForeignError{"an XML file", "have it saved as .xlsx or as CSV"}},
	{"{\\rtf", ForeignError{"a text document (RTF)", "ask the branch for the data itself"}},
	{"%PDF-", ForeignError{"a PDF", "ask the branch for the data itself"}},
}

// checkForeign returns a *ForeignError where a source begins like something
// else.
func checkForeign(sample []byte) error {
	for i := range foreign {
		if bytes.HasPrefix(bytes.TrimPrefix(sample, []byte("\ufeff")), []byte(foreign[i].begin)) {
			return &foreign[i].error
		}
	}
	return nil
}
