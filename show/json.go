package show

import (
	"bytes"
	"encoding/json"
	"io"

	"lastblock/core/amount"
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

// MarshalJSON writes the members in order.
func (o Object) MarshalJSON() ([]byte, error) {
	buffer := []byte{'{'}
	for i, m := range o {
		if i > 0 {
			buffer = append(buffer, ',')
		}
		var err error
		if buffer, err = appendJSON(buffer, m.Name); err != nil {
			return nil, err
		}
		buffer = append(buffer, ':')
		if buffer, err = appendJSON(buffer, m.Value); err != nil {
			return nil, err
		}
	}
	return append(buffer, '}'), nil
}

func appendJSON(dst []byte, value any) ([]byte, error) {
	var buffer bytes.Buffer
	encoder := json.NewEncoder(&buffer)
	encoder.SetEscapeHTML(false)
	if err := encoder.Encode(value); err != nil {
		return nil, err
	}
	return append(dst, bytes.TrimRight(buffer.Bytes(), "\n")...), nil
}

// DocumentVersion is the version of the JSON that docs/json.md describes.
const DocumentVersion = 1

// NewDocument starts the one JSON document that a command prints.
func NewDocument(command string) Object {
	return Object{{"command", command}, {"version", DocumentVersion}}
}

// Document prints a document, indented so that people can read it as well.
func Document(w io.Writer, document Object) error {
	encoder := json.NewEncoder(w)
	encoder.SetEscapeHTML(false)
	encoder.SetIndent("", "  ")
	return encoder.Encode(document)
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
