package decode

import "io"

// Blanks reads text whose fields stand between runs of blanks, with a tab in
// place of each run and nothing in place of those at the ends of a line. Within
// quotes blanks stay.
type Blanks struct {
	source  io.Reader
	inside  bool // a field has begun on this line
	pending bool // blanks stand behind it
	quoted  bool
}

// NewBlanks makes a Blanks of r.
func NewBlanks(r io.Reader) *Blanks { return &Blanks{source: r} }

// Read reads text with tabs.
func (b *Blanks) Read(p []byte) (int, error) {
	for {
		n, err := b.source.Read(p[:(len(p)+1)/2]) // a byte may become two
		out := make([]byte, 0, 2*n)
		for _, c := range p[:n] {
			switch {
			case c == '\n' || c == '\r':
				b.inside, b.pending, b.quoted = false, false, false
			case b.quoted:
				b.quoted = c != '"'
			case c == ' ' || c == '\t':
				b.pending = b.inside
				continue
			default:
				if b.pending {
					out = append(out, '\t')
				}
				b.quoted = c == '"' && (b.pending || !b.inside)
				b.inside, b.pending = true, false
			}
			out = append(out, c)
		}
		if n = copy(p, out); n > 0 || err != nil {
			return n, err
		}
	}
}
