package show

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"strconv"

	"lastblock/core/amount"
	"lastblock/core/finding"
	"lastblock/core/proof"
)

// Object is a JSON object whose members keep their order.
type Object []Member

// Member is a name and a value of an Object.
type Member struct {
	Name  string
	Value any
}

// Add adds a member.
func (o *Object) Add(name string, value any) { *o = append(*o, Member{name, value}) }

// DocumentVersion is the version of the JSON that docs/json.md describes.
const DocumentVersion = 1

// NewDocument starts the one JSON document that a command prints.
func NewDocument(command string) Object {
	return Object{{"command", command}, {"version", DocumentVersion}}
}

// Document prints a document, indented so that people can read it as well. It
// is written member by member, since one of ten thousand sources takes the
// standard encoder longer than reading them took.
func Document(w io.Writer, document Object) error {
	return documentWith(w, document, func(*bufio.Writer) error { return nil })
}

// DocumentWith prints a document whose last member is read from list, which
// may be larger than memory.
func DocumentWith(w io.Writer, document Object, name string, list io.Reader) error {
	return documentWith(w, document, func(b *bufio.Writer) error {
		b.WriteString(",\n  ")
		b.Write(JSONText(name))
		b.WriteString(": ")
		_, err := io.Copy(b, list)
		return err
	})
}

func documentWith(w io.Writer, document Object, more func(*bufio.Writer) error) error {
	b := bufio.NewWriterSize(w, 1<<16)
	var line []byte
	b.WriteByte('{')
	for i, m := range document {
		if i > 0 {
			b.WriteByte(',')
		}
		line = appendMember(append(line[:0], "\n  "...), m, "  ")
		b.Write(line)
	}
	if err := more(b); err != nil {
		return err
	}
	b.WriteString("\n}\n")
	return b.Flush() // which tells of the writes above as well
}

func appendMember(dst []byte, m Member, indent string) []byte {
	dst = append(append(dst, JSONText(m.Name)...), ": "...)
	return appendValue(dst, m.Value, indent)
}

// appendValue appends a value. A list of objects has a line for each of them,
// unless indent is blank, as it is within such a line; all else stays on one.
func appendValue(dst []byte, value any, indent string) []byte {
	switch v := value.(type) {
	case string:
		return append(dst, JSONText(v)...)
	case int:
		return strconv.AppendInt(dst, int64(v), 10)
	case Object:
		dst = append(dst, '{')
		for i, m := range v {
			if i > 0 {
				dst = append(dst, ", "...)
			}
			dst = appendMember(dst, m, "")
		}
		return append(dst, '}')
	case []Object:
		return appendList(dst, len(v), indent, func(dst []byte, i int) []byte { return appendValue(dst, v[i], indent) })
	case []finding.Finding:
		return appendList(dst, len(v), indent, func(dst []byte, i int) []byte { return append(dst, marshal(v[i])...) })
	}
	return append(dst, marshal(value)...)
}

func appendList(dst []byte, n int, indent string, element func(dst []byte, i int) []byte) []byte {
	if n == 0 {
		return append(dst, "[]"...)
	}
	dst = append(dst, '[')
	for i := range n {
		if i > 0 {
			dst = append(dst, ',')
		}
		switch {
		case indent != "":
			dst = append(append(append(dst, '\n'), indent...), "  "...)
		case i > 0:
			dst = append(dst, ' ')
		}
		dst = element(dst, i)
	}
	if indent != "" {
		dst = append(append(dst, '\n'), indent...)
	}
	return append(dst, ']')
}

// JSONText writes a text as a JSON string; bytes that are no UTF-8 become the
// replacement character, since JSON has no other way.
func JSONText(s string) []byte {
	for i := range len(s) {
		if c := s[i]; c < ' ' || c >= 0x7f || c == '"' || c == '\\' {
			return marshal(s)
		}
	}
	return append(append(append(make([]byte, 0, len(s)+2), '"'), s...), '"')
}

// marshal leaves a value to the standard encoder. What is given here are
// numbers, texts and plain structures, which it can always write.
func marshal(value any) []byte {
	var buffer bytes.Buffer
	encoder := json.NewEncoder(&buffer)
	encoder.SetEscapeHTML(false)
	if err := encoder.Encode(value); err != nil {
		return []byte("null")
	}
	return bytes.TrimRight(buffer.Bytes(), "\n")
}

// Amounts makes an object of totals: exact decimals as strings, by column.
func Amounts(columns []string, values []amount.Amount) Object {
	o := Object{}
	for i, column := range columns {
		if i < len(values) {
			o.Add(column, values[i].String())
		}
	}
	return o
}

// ProofObject makes the JSON of a proof.
func ProofObject(p *proof.Proof) Object {
	totals := Object{}
	for _, t := range p.Totals {
		totals.Add(t.Column, Object{
			{"read", t.Read.String()}, {"used", t.Used.String()},
			{"suspense", t.Suspense.String()}, {"dropped", t.Dropped.String()},
		})
	}
	return Object{
		{"read", p.Read}, {"used", p.Used}, {"suspense", p.Suspense}, {"dropped", p.Dropped},
		{"totals", totals},
	}
}
