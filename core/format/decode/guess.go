package decode

import (
	"encoding/binary"
	"io"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/transform"
)

// Guessed is the encoding that text is taken for which is no UTF-8: the code
// page of the western Windows systems, a superset of ISO 8859-1 for text.
const Guessed = "windows-1252"

// Guess reads text as UTF-8 unless its first letters beyond ASCII say that it
// is none; from there on it is read as Guessed.
type Guess struct {
	source  io.Reader
	pending []byte // decoded, and not yet read
	held    []byte // read, and too little to decide by
	decided bool
	guessed bool
}

// NewGuess makes a Guess of r.
func NewGuess(r io.Reader) *Guess { return &Guess{source: r} }

// Made tells whether the text was taken for Guessed.
func (g *Guess) Made() bool { return g.guessed }

// IsUTF8 tells whether a whole text needs no guess.
func IsUTF8(text []byte) bool { return firstHigh(text) == len(text) || !isOther(text) }

// Read reads UTF-8.
func (g *Guess) Read(p []byte) (int, error) {
	if len(g.pending) > 0 {
		n := copy(p, g.pending)
		g.pending = g.pending[n:]
		return n, nil
	}
	if g.decided || len(p) < 2*utf8.UTFMax {
		return g.source.Read(p)
	}
	n := copy(p, g.held)
	g.held = g.held[:0]
	read, err := g.source.Read(p[n:])
	n += read
	high := firstHigh(p[:n])
	if high == n {
		return n, err
	}
	if rest := p[high:n]; err == nil && len(rest) < utf8.UTFMax && !utf8.FullRune(rest) {
		g.held = append(g.held, rest...)
		if high == 0 {
			return g.Read(p)
		}
		return high, nil
	}
	g.decided = true
	if !isOther(p[high:n]) {
		return n, err
	}
	g.guessed = true
	decoder := charmap.Windows1252.NewDecoder()
	g.pending, _ = decoder.Bytes(p[high:n]) // every byte has a meaning in it
	g.source = transform.NewReader(g.source, charmap.Windows1252.NewDecoder())
	if high == 0 && err == nil {
		return g.Read(p)
	}
	if high == 0 {
		n = copy(p, g.pending)
		g.pending = g.pending[n:]
		return n, nil
	}
	return high, nil
}

// firstHigh returns where the first byte beyond ASCII stands, several at a time.
func firstHigh(text []byte) int {
	const highBits = 0x8080808080808080
	i := 0
	for ; i+32 <= len(text); i += 32 {
		word := text[i : i+32]
		if (binary.LittleEndian.Uint64(word)|binary.LittleEndian.Uint64(word[8:])|
			binary.LittleEndian.Uint64(word[16:])|binary.LittleEndian.Uint64(word[24:]))&highBits != 0 {
			break
		}
	}
	for ; i+8 <= len(text); i += 8 {
		if binary.LittleEndian.Uint64(text[i:])&highBits != 0 {
			break
		}
	}
	for ; i < len(text) && text[i] < utf8.RuneSelf; i++ {
	}
	return i
}

// isOther tells whether text is another encoding than UTF-8: more of its bytes
// beyond ASCII belong to no letter of UTF-8 than there are such letters. A few
// damaged bytes do not make it one. A letter that the end cuts does not count.
func isOther(text []byte) bool {
	letters, strays := 0, 0
	for i := firstHigh(text); i < len(text); {
		r, size := utf8.DecodeRune(text[i:])
		switch {
		case text[i] < utf8.RuneSelf:
		case r == utf8.RuneError && size == 1:
			if len(text)-i < utf8.UTFMax && !utf8.FullRune(text[i:]) {
				return strays > letters
			}
			strays++
		default:
			letters++
		}
		i += size
	}
	return strays > letters
}
