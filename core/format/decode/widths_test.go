package decode

import (
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"
)

func TestWidths(t *testing.T) {
	for _, c := range []struct {
		rule   string
		widths []int
		found  bool
		text   string
		want   string
	}{
		{"fields are cut and trimmed", []int{4, 6}, false, "ab  12.50\nc     7.00\n", "ab\t12.50\nc\t7.00\n"},
		{"a short line has blank fields", []int{4, 6}, false, "ab\n\n", "ab\t\n\n"},
		{"characters count, not bytes", []int{3, 2}, false, "äöü12\r\n", "äöü\t12\r\n"},
		{"text behind the last column is one field more", []int{2, 2}, false, "aabbcc\naabb  \n",
			"aa\tbb\tcc\naa\tbb\n"},
		{"tabs and quotes are kept in quotes", []int{4, 4}, false, "a\tb c\"d\n", "\"a\tb\"\t\"c\"\"d\"\n"},
		{"a line that rules off becomes blank", []int{4, 4}, false, "---- ---\n==== ===\nab  cd", "\n\nab\tcd"},
		{"two dashes are no rule", []int{4, 4}, false, "--  cd\n", "--\tcd\n"},
		{"lines that end in CR", []int{1, 1}, false, "ab\rcd\r", "a\tb\rc\td\r"},
		{"the last of those found takes the rest", []int{4, 0}, true, "ab  c d e\n", "ab\tc d e\n"},
		{"a text that reaches over a border found is no record", []int{4, 0}, true, "abcdefg\nab  c\n",
			"abcdefg\nab\tc\n"},
		{"one that ends before it is", []int{4, 0}, true, "abc defg\n", "abc\tdefg\n"},
		{"nor is one that fills the gap", []int{4, 0}, true, "abcd efg\n", "abcd efg\n"},
	} {
		for _, r := range []io.Reader{strings.NewReader(c.text), iotest.OneByteReader(strings.NewReader(c.text))} {
			got, err := io.ReadAll(NewWidths(r, c.widths, c.found, 1000))
			if err != nil || string(got) != c.want {
				t.Errorf("%s: %v, %q, want %q", c.rule, err, got, c.want)
			}
		}
	}
	if _, err := io.ReadAll(NewWidths(strings.NewReader(strings.Repeat("a", 101)), []int{1}, false,
		100)); !errors.Is(err, ErrLineTooLong) {
		t.Errorf("a line beyond the limit: error is %v", err)
	}
	if _, err := io.ReadAll(NewWidths(iotest.ErrReader(io.ErrUnexpectedEOF), []int{1}, false, 100)); !errors.Is(err,
		io.ErrUnexpectedEOF) {
		t.Errorf("an error of reading is %v", err)
	}
}
