package decode

import (
	"bytes"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"golang.org/x/text/encoding/charmap"
)

func TestGuess(t *testing.T) {
	page, err := charmap.Windows1252.NewEncoder().String("Seilbahn, 12 € für Gäste")
	if err != nil {
		t.Fatal(err)
	}
	filler := strings.Repeat("plain text\n", 20_000)
	for _, c := range []struct {
		name, text, want string
		made             bool
	}{
		{"plain", filler, filler, false},
		{"UTF-8", filler + "für Gäste", filler + "für Gäste", false},
		{"a code page", page, "Seilbahn, 12 € für Gäste", true},
		{"a code page, seen late", filler + page, filler + "Seilbahn, 12 € für Gäste", true},
		{"a damaged letter among good ones", "für Gäste \xff", "für Gäste \xff", false},
		{"a letter at the very end", "f\xfc", "fü", true},
		{"the start of a letter at the very end", "f\xc3", "f\xc3", false},
		{"nothing", "", "", false},
	} {
		for reader, r := range map[string]io.Reader{
			"whole": strings.NewReader(c.text), "half": iotest.HalfReader(strings.NewReader(c.text)),
			"bytes": iotest.OneByteReader(strings.NewReader(c.text)),
		} {
			g := NewGuess(r)
			got, err := io.ReadAll(g)
			if reader == "bytes" && c.name == "a damaged letter among good ones" {
				continue // what is seen first decides
			}
			if err != nil || string(got) != c.want || g.Made() != c.made {
				t.Errorf("%s, %s: %v, made %v, %.60q", c.name, reader, err, g.Made(), got)
			}
		}
		if IsUTF8([]byte(c.text)) == c.made {
			t.Errorf("%s: IsUTF8 is %v", c.name, !c.made)
		}
	}
}

func TestBlanks(t *testing.T) {
	text := "  a  b\t c  \n\"x  y\"  2 it\"s\r\n\n open \"quote\nnext line\n"
	want := "a\tb\tc\n\"x  y\"\t2\tit\"s\r\n\nopen\t\"quote\nnext\tline\n"
	for _, r := range []io.Reader{strings.NewReader(text), iotest.OneByteReader(strings.NewReader(text))} {
		got, err := io.ReadAll(NewBlanks(r))
		if err != nil || string(got) != want {
			t.Errorf("%v: %q, want %q", err, got, want)
		}
	}
}

func FuzzGuess(f *testing.F) {
	f.Add([]byte("für Gäste"), 3)
	f.Add([]byte("f\xfcr G\xe4ste"), 2)
	f.Fuzz(func(t *testing.T, text []byte, size int) {
		g := NewGuess(bytes.NewReader(text))
		got, err := io.ReadAll(g)
		if err != nil {
			t.Fatal(err)
		}
		if !g.Made() && !bytes.Equal(got, text) {
			t.Errorf("%q became %q", text, got)
		}
		if g.Made() && len(got) < len(text) {
			t.Errorf("%q lost something: %q", text, got)
		}
	})
}
