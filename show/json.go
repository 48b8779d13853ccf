package show

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/value/amount"
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
const DocumentVersion = 2

// NewDocument starts the one JSON document that a command prints.
func NewDocument(command string) Object {
	return Object{{"command", command}, {"version", DocumentVersion}}
}

// Document prints a document, indented so that people can read it as well.
func Document(w io.Writer, document Object) error {
	d := StartDocument(w, document)
	return d.Close()
}

// DocumentWriter writes a document member by member, for documents that may be
// larger than memory. (It is also faster: one of ten thousand sources takes the
// standard encoder longer than reading them took.) Errors in writing are told
// by Close.
type DocumentWriter struct {
	buffer  *bufio.Writer
	members int
	line    []byte
	indent  string // of the braces
}

// StartDocument begins with the members of an object.
func StartDocument(w io.Writer, document Object) *DocumentWriter {
	d := &DocumentWriter{buffer: bufio.NewWriterSize(w, 1<<16)}
	d.buffer.WriteByte('{')
	for _, m := range document {
		d.Add(m.Name, m.Value)
	}
	return d
}

// Add writes a member.
func (d *DocumentWriter) Add(name string, value any) {
	d.name(name)
	d.line = appendValue(d.line[:0], value, d.indent+indentStep)
	d.buffer.Write(d.line)
}

// Objects writes a member that is a list of n objects, each of which write writes member by
// member; its error is returned.
func (d *DocumentWriter) Objects(name string, n int, write func(i int, o *DocumentWriter) error) error {
	d.name(name)
	d.buffer.WriteByte('[')
	for i := range n {
		if i > 0 {
			d.buffer.WriteByte(',')
		}
		o := &DocumentWriter{buffer: d.buffer, indent: d.indent + indentStep + indentStep}
		d.buffer.WriteString("\n" + o.indent + "{")
		if err := write(i, o); err != nil {
			return err
		}
		d.buffer.WriteString("\n" + o.indent + "}")
	}
	d.buffer.WriteString("\n" + d.indent + indentStep + "]")
	return nil
}

func (d *DocumentWriter) name(name string) {
	if d.members++; d.members > 1 {
		d.buffer.WriteByte(',')
	}
	d.buffer.WriteString("\n" + d.indent + indentStep)
	d.line = appendText(d.line[:0], name)
	d.buffer.Write(d.line)
	d.buffer.WriteString(": ")
}

// List writes a member that is a list of the objects that each adds, and
// returns the error of each.
func (d *DocumentWriter) List(name string, each func(add func(Object)) error) error {
	d.name(name)
	d.buffer.WriteByte('[')
	n := 0
	err := each(func(o Object) {
		if n++; n > 1 {
			d.buffer.WriteByte(',')
		}
		d.line = append(append(append(append(d.line[:0], '\n'), d.indent...), indentStep...), indentStep...)
		d.line = appendObject(d.line, o)
		d.buffer.Write(d.line)
	})
	if n > 0 {
		d.buffer.WriteString("\n" + d.indent + indentStep)
	}
	d.buffer.WriteByte(']')
	return err
}

// Findings writes the findings, a line for each.
func (d *DocumentWriter) Findings(each EachFinding) error {
	d.name("findings")
	d.buffer.WriteByte('[')
	n := 0
	err := each(func(f *finding.Finding) error {
		if n++; n > 1 {
			d.buffer.WriteByte(',')
		}
		d.buffer.WriteString("\n" + indentStep + indentStep)
		_, err := d.buffer.Write(marshal(f))
		return err
	})
	if n > 0 {
		d.buffer.WriteString("\n" + indentStep)
	}
	d.buffer.WriteByte(']')
	return err
}

// Raw writes a member whose JSON is read from value.
func (d *DocumentWriter) Raw(name string, value io.Reader) error {
	d.name(name)
	_, err := io.Copy(d.buffer, value)
	return err
}

// Close ends the document.
func (d *DocumentWriter) Close() error {
	d.buffer.WriteString("\n}\n")
	return d.buffer.Flush() // which tells of all writes before it
}

const indentStep = "  "

func appendMember(dst []byte, m Member, indent string) []byte {
	dst = append(appendText(dst, m.Name), ": "...)
	return appendValue(dst, m.Value, indent)
}

// appendValue appends a value. A list of objects has a line for each of them,
// unless indent is blank, as it is within such a line; all else stays on one.
func appendValue(dst []byte, value any, indent string) []byte {
	switch v := value.(type) {
	case string:
		return appendText(dst, v)
	case *string: // which needs no room of its own
		return appendText(dst, *v)
	case int:
		return strconv.AppendInt(dst, int64(v), 10)
	case Object:
		return appendObject(dst, v)
	case []Object:
		return appendList(dst, len(v), indent, func(dst []byte, i int) []byte { return appendValue(dst, v[i], indent) })
	case []finding.Finding:
		return appendList(dst, len(v), indent, func(dst []byte, i int) []byte { return append(dst, marshal(v[i])...) })
	}
	return append(dst, marshal(value)...)
}

// appendObject appends an object on one line.
func appendObject(dst []byte, o Object) []byte {
	dst = append(dst, '{')
	for i, m := range o {
		if i > 0 {
			dst = append(dst, ", "...)
		}
		dst = appendMember(dst, m, "")
	}
	return append(dst, '}')
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

// appendText appends a text as a JSON string; bytes that are no UTF-8 become the
// replacement character, since JSON has no other way.
func appendText[T string | []byte](dst []byte, s T) []byte {
	for i := range len(s) {
		if c := s[i]; c < ' ' || c >= 0x7f || c == '"' || c == '\\' {
			return append(dst, marshal(string(s))...)
		}
	}
	return append(append(append(dst, '"'), s...), '"')
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
	o := Object{
		{"read", p.Read}, {"used", p.Used}, {"suspense", p.Suspense}, {"dropped", p.Dropped},
		{"totals", totals},
	}
	if len(p.Left) > 0 {
		left := []Object{}
		for _, l := range p.Left {
			of := Object{{"source", l.Source}}
			if l.Sheet != "" {
				of.Add("sheet", l.Sheet)
			}
			of.Add("records", l.Records)
			columns := make([]string, len(l.Totals))
			for i := range l.Totals {
				columns[i] = p.Totals[i].Column
			}
			of.Add("totals", Amounts(columns, l.Totals))
			of.Add("kind", l.Kind)
			of.Add("reason", l.Reason)
			left = append(left, of)
		}
		o.Add("left_out", left)
	}
	return o
}
