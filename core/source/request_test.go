package source

import (
	"testing"
)

func TestParseSize(t *testing.T) {
	for text, want := range map[string]int64{
		"512": 512, "1KB": 1 << 10, "256MB": 256 << 20, "256 MiB": 256 << 20, "1.5gb": 3 << 29, "2G": 2 << 30,
		"1T": 1 << 40,
		"":   -1, "MB": -1, "-1GB": -1, "0": -1, "12X": -1, "1.2.3MB": -1,
	} {
		got, ok := parseSize(text)
		if !ok {
			got = -1
		}
		if got != want {
			t.Errorf("%q is %d bytes, want %d", text, got, want)
		}
	}
}

func TestOneCharacter(t *testing.T) {
	for text, want := range map[string]byte{";": ';', "tab": '\t', `\t`: '\t', "comma": ',', "|": '|', "ab": 0, "": 0,
		"\n": 0, `"`: 0} {
		got, err := oneCharacter(text)
		if err != nil {
			got = 0
		}
		if got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}
