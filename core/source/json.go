package source

import (
	"bytes"
	"io"

	"lastblock/core/format/json"
)

// jsonDocument is JSON, in any of the forms that records have in it.
var jsonDocument = &Format{
	Name:    "json",
	Endings: []string{".json", ".jsonl", ".ndjson"},
	begins: func(sample []byte) bool {
		text := bytes.TrimLeft(bytes.TrimPrefix(sample, []byte("\ufeff")), " \t\r\n")
		return bytes.HasPrefix(text, []byte("{")) && !bytes.HasPrefix(text, []byte(`{\rtf`)) ||
			bytes.HasPrefix(text, []byte("["))
	},
	open: func(d *document, _ Part, manner *Manner, _ int64) (Reader, error) {
		r, err := json.Open(func() io.Reader { return d.reader() }, manner.At, manner.Member)
		if err != nil {
			return nil, err
		}
		return &objectReader{r, d}, nil
	},
}

// objectReader reads records that are JSON objects. Next finds where they
// begin and end; what is in them is left to Parse.
type objectReader struct {
	*json.Reader
	document *document
}

func (r *objectReader) Peek(int) error { return nil }

func (r *objectReader) Next(s *Stretch) error { return r.Reader.Next(&s.objects) }

func (r *objectReader) Parse(s *Stretch) {
	s.text = r.Reader.Parse(&s.objects, &s.Batch, s.text)
}

func (r *objectReader) Close() { r.document.Close() }
