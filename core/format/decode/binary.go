package decode

import (
	"bytes"
	"cmp"
	"fmt"
)

// BinaryError is a file that holds no text, whatever its name says.
type BinaryError struct {
	Kind  string // what it holds, "" where no signature tells
	Table bool   // it may well hold what was meant to be sent, and is not left out of a folder
}

// What tells what the file holds.
func (e *BinaryError) What() string { return cmp.Or(e.Kind, "binary content") }

func (e *BinaryError) Error() string {
	return fmt.Sprintf("this is %s, not delimited text that can be read here; ask the branch for the data itself, "+
		"or leave it out with ⟨skip⟩", e.What())
}

// signatures are the first bytes of what is sent by mistake under a name of text, as the
// specifications of these formats give them: those that would not come through a change of
// encoding. Package delimited knows the others.
var signatures = []struct{ first, kind string }{
	{"\x7fELF", "a program"}, {"\xca\xfe\xba\xbe", "a program"}, {"\xcf\xfa\xed\xfe", "a program"},
	{"\x00asm", "a program"},
	{"\x89PNG\r\n\x1a\n", "a picture"}, {"\xff\xd8\xff", "a picture"}, {"GIF87a", "a picture"}, {"GIF89a", "a picture"},
	{"II*\x00", "a picture"}, {"MM\x00*", "a picture"},
	{"\xfd7zXZ\x00", "an archive (xz)"}, {"7z\xbc\xaf\x27\x1c", "an archive (7z)"},
	{"Rar!\x1a\x07", "an archive (rar)"},
	{"\x04\x22\x4d\x18", "an archive (lz4)"},
	{"ARROW1\x00\x00", "an Arrow file"}, {"SQLite format 3\x00", "a database"},
	{oldWorkbook, "a workbook of the old binary kind (.xls), or one with a password"},
	{"\x80\x02", "a Python pickle"}, {"\x80\x03", "a Python pickle"}, {"\x80\x04", "a Python pickle"},
	{"\x80\x05", "a Python pickle"},
}

// oldWorkbook begins a compound file, in which old workbooks and encrypted ones lie.
const oldWorkbook = "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"

// Signed tells whether a file that begins with sample bears the signature of something that
// is no data. The error is a *BinaryError or nil.
func Signed(sample []byte) error {
	for _, s := range signatures {
		if bytes.HasPrefix(sample, []byte(s.first)) {
			return &BinaryError{Kind: s.kind, Table: s.first == oldWorkbook}
		}
	}
	return nil
}

// Binary tells whether a file that begins with sample, which is in no encoding that has
// zeros, holds no text: by a signature, or by more zeros than a damaged text has. The
// error is a *BinaryError or nil.
func Binary(sample []byte) error {
	if err := Signed(sample); err != nil {
		return err
	}
	const few = 20 // one of so many bytes
	zeros := bytes.Count(sample, []byte{0})
	if bytes.HasPrefix(sample, []byte("MZ")) && zeros > 0 {
		return &BinaryError{Kind: "a program"}
	}
	if zeros > 1 && zeros*few > len(sample) {
		return &BinaryError{}
	}
	return nil
}
