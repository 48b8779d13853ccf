package delimited

import (
	"bytes"
	"encoding/csv"
	"testing"
)

func TestAppendFieldIsReadBack(t *testing.T) {
	for _, text := range []string{"", "plain", "a,b", `say "yes"`, "two\nlines", "cr\r", " blanks ", `"`, "é"} {
		line := append(AppendField(AppendField(nil, []byte(text), ','), nil, ','), []byte(",end")...)
		record, err := csv.NewReader(bytes.NewReader(line)).Read()
		if err != nil || record[0] != text {
			t.Errorf("%q is written as %q and read back as %q, %v", text, line, record, err)
		}
	}
}

// A byte that needs quotes is found wherever it stands, and no other is taken for one.
func TestNeedsQuotesAtEachPlace(t *testing.T) {
	for length := range 80 {
		// Neighbours of the bytes that are sought, and these with another topmost bit.
		for _, filling := range []byte{'x', 0, '!', '#', '+', '-', 0x0b, 0x0e, 0x8a, 0xac, 0xff} {
			text := bytes.Repeat([]byte{filling}, length)
			if needsQuotes(text, ',') {
				t.Fatalf("%q needs none", text)
			}
			for at := range text {
				for _, special := range []byte(",\"\n\r") {
					text[at] = special
					if !needsQuotes(text, ',') {
						t.Fatalf("%q needs quotes", text)
					}
				}
				text[at] = ','
				if needsQuotes(text, ';') {
					t.Fatalf("%q needs none beside semicolons", text)
				}
				text[at] = filling
			}
		}
	}
}
