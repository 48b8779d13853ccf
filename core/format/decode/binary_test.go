package decode

import (
	"errors"
	"strings"
	"testing"
)

func TestBinary(t *testing.T) {
	for _, c := range []struct {
		rule, sample, kind string
		is                 bool
	}{
		{"a picture", "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", "a picture", true},
		{"a photograph", "\xff\xd8\xff\xe0\x00\x10JFIF", "a picture", true},
		{"a program", "\x7fELF\x02\x01\x01", "a program", true},
		{"a program of another system", "MZ\x90\x00\x03\x00\x00\x00\x04", "a program", true},
		{"a compressed file of a kind that is not unpacked", "\xfd7zXZ\x00\x00\x04", "an archive (xz)", true},
		{"columns under the name of text", "ARROW1\x00\x00", "an Arrow file", true},
		{"zeros without a signature", strings.Repeat("ab\x00\x01", 40), "", true},
		{"text", "doc,amount\nA,1\n", "", false},
		{"text that begins with the letters of a program", "MZ,amount\nA,1\n", "", false},
		{"one zero in a damaged text", "doc,amount\nA\x00,1\n", "", false},
		{"few zeros in a long text", strings.Repeat("doc,amount\n", 100) + "\x00\x00\x00", "", false},
		{"one byte in twenty", strings.Repeat("\x00"+strings.Repeat("a", 19), 2), "", false},
		{"more than one byte in twenty", strings.Repeat("\x00"+strings.Repeat("a", 18), 2), "", true},
		{"nothing", "", "", false},
	} {
		var binary *BinaryError
		err := Binary([]byte(c.sample))
		if is := errors.As(err, &binary); is != c.is || is && binary.Kind != c.kind {
			t.Errorf("%s: %v", c.rule, err)
		}
	}
}
