package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"
)

// chars reads a text up to the next tag, or the end.
func (s *Scanner) chars(b []byte) (Kind, int, error) {
	n := bytes.IndexByte(b, '<')
	if n < 0 {
		if !errors.Is(s.err, io.EOF) {
			return 0, 0, errMore
		}
		if n = len(b); len(s.from) > 0 {
			return 0, 0, errMore // which is not there
		}
	}
	seen := byte(0)
	for _, c := range b[:n] {
		seen |= classes[c]
	}
	if s.text = b[:n]; seen&odd == 0 {
		return Chars, n, nil
	}
	if bytes.Contains(b[:n], []byte("]]>")) {
		return 0, 0, malformedError("]]> outside of CDATA")
	}
	s.scratch = s.scratch[:0]
	var err error
	s.text, err = s.decode(b[:n], false)
	return Chars, n, err
}

// decode writes a text with its references and line ends as they are meant, and makes sure that it holds characters of
// XML alone. In CDATA there are no references.
func (s *Scanner) decode(b []byte, cdata bool) ([]byte, error) {
	from := len(s.scratch)
	for i := 0; i < len(b); {
		switch c := b[i]; {
		case c == '&' && !cdata:
			end := bytes.IndexByte(b[i:], ';')
			if end < 0 {
				return nil, malformedError("a reference without its end")
			}
			r, ok := reference(b[i+1 : i+end])
			if !ok {
				return nil, malformedError(fmt.Sprintf("an unknown reference &%.40s;", b[i+1:i+end]))
			}
			s.scratch = utf8.AppendRune(s.scratch, r)
			i += end + 1
		case c == '\r':
			s.scratch = append(s.scratch, '\n')
			if i++; i < len(b) && b[i] == '\n' {
				i++
			}
		case c < utf8.RuneSelf:
			if !isCharacter(rune(c)) {
				return nil, malformedError("a character that no XML holds")
			}
			s.scratch = append(s.scratch, c)
			i++
		default:
			r, size := utf8.DecodeRune(b[i:])
			if r == utf8.RuneError && size == 1 {
				return nil, malformedError("bytes that are no UTF-8")
			}
			if !isCharacter(r) {
				return nil, malformedError("a character that no XML holds")
			}
			s.scratch = append(s.scratch, b[i:i+size]...)
			i += size
		}
	}
	return s.scratch[from:len(s.scratch):len(s.scratch)], nil
}

// reference is the character that a reference stands for.
func reference(b []byte) (r rune, ok bool) {
	switch string(b) {
	case "amp":
		return '&', true
	case "lt":
		return '<', true
	case "gt":
		return '>', true
	case "quot":
		return '"', true
	case "apos":
		return '\'', true
	}
	if len(b) < 2 || b[0] != '#' {
		return 0, false
	}
	base, digits := rune(10), b[1:]
	if digits[0] == 'x' {
		if base, digits = 16, digits[1:]; len(digits) == 0 {
			return 0, false
		}
	}
	for _, c := range digits {
		d := rune(strings.IndexByte("0123456789abcdef", c|0x20))
		if c <= '9' {
			d = rune(c) - '0'
		}
		if d < 0 || d >= base {
			return 0, false
		}
		if r = r*base + d; r > unicode.MaxRune {
			return 0, false
		}
	}
	if !utf8.ValidRune(r) {
		r = utf8.RuneError
	}
	return r, isCharacter(r)
}

// isCharacter tells whether XML may hold a character (2.2 Characters).
func isCharacter(r rune) bool {
	return r == '\t' || r == '\n' || r == '\r' || ' ' <= r && r <= 0xd7ff || 0xe000 <= r && r <= 0xfffd ||
		0x10000 <= r && r <= unicode.MaxRune
}

// instruction passes over <?target ...?>. A declaration of XML has to say version 1.0, and UTF-8 where it says an
// encoding.
func instruction(b []byte) (Kind, int, error) {
	_, _, size, err := readName(b[2:])
	if err != nil {
		return 0, 0, err
	}
	target := b[2 : 2+size]
	n := bytes.Index(b[2+size:], []byte("?>"))
	if n < 0 {
		return 0, 0, errMore
	}
	if string(target) == "xml" {
		said := string(b[2+size : 2+size+n])
		if v := pseudo(said, "version"); v != "" && v != "1.0" {
			return 0, 0, malformedError("XML of version " + v)
		}
		if e := pseudo(said, "encoding"); e != "" && !strings.EqualFold(e, "utf-8") {
			return 0, 0, malformedError("XML in the encoding " + e + ", where UTF-8 is needed")
		}
	}
	return 0, 2 + size + n + 2, nil
}

// pseudo is what a declaration says of a name, "" for nothing.
func pseudo(said, name string) string {
	for at := strings.Index(said, name); at >= 0; at = strings.Index(said, name) {
		before, rest := said[:at], strings.TrimLeft(said[at+len(name):], " \t\r\n")
		said = said[at+len(name):]
		if before != "" && !strings.ContainsAny(before[len(before)-1:], " \t\r\n") || !strings.HasPrefix(rest, "=") {
			continue
		}
		rest = strings.TrimLeft(rest[1:], " \t\r\n")
		if rest == "" || rest[0] != '"' && rest[0] != '\'' {
			return ""
		}
		value, _, _ := strings.Cut(rest[1:], rest[:1])
		return value
	}
	return ""
}

// declaration passes over comments and declarations, and reads CDATA as a text.
func (s *Scanner) declaration(b []byte) (Kind, int, error) {
	const comment, cdata = "<!--", "<![CDATA["
	switch {
	case len(b) < len(cdata) && (strings.HasPrefix(cdata, string(b)) || strings.HasPrefix(comment, string(b))):
		return 0, 0, errMore
	case bytes.HasPrefix(b, []byte(comment)):
		n := bytes.Index(b[len(comment):], []byte("--"))
		if n < 0 || len(comment)+n+2 == len(b) {
			return 0, 0, errMore
		}
		if b[len(comment)+n+2] != '>' {
			return 0, 0, malformedError("a -- in a comment")
		}
		return 0, len(comment) + n + 3, nil
	case bytes.HasPrefix(b, []byte("<!-")), bytes.HasPrefix(b, []byte("<![")) && !bytes.HasPrefix(b, []byte(cdata)):
		return 0, 0, malformedError("a declaration that is none")
	case bytes.HasPrefix(b, []byte(cdata)):
		n := bytes.Index(b[len(cdata):], []byte("]]>"))
		if n < 0 {
			return 0, 0, errMore
		}
		s.scratch = s.scratch[:0]
		var err error
		s.text, err = s.decode(b[len(cdata):len(cdata)+n], true)
		return Chars, len(cdata) + n + 3, err
	}
	return directive(b)
}

// directive passes over <!DOCTYPE ...> and the like, with what is nested and quoted in it. Parts of workbooks have
// none.
func directive(b []byte) (Kind, int, error) {
	const front = len("<!") + 1 // what stands first means nothing in it, whatever it is
	depth, quote := 0, byte(0)
	for i := front; i < len(b); i++ {
		switch c := b[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '>' && depth == 0:
			return 0, i + 1, nil
		case c == '>':
			depth--
		case c == '<':
			if bytes.HasPrefix(b[i:], []byte("<!--")) {
				n := bytes.Index(b[i+4:], []byte("-->"))
				if n < 0 {
					return 0, 0, errMore
				}
				i += 4 + n + 2
				continue
			}
			depth++
		}
	}
	return 0, 0, errMore
}
