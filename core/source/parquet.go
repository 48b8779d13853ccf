package source

import (
	"bytes"

	"lastblock/core/format/parquet"
)

// parquetFile is Apache Parquet.
var parquetFile = &Format{
	Name:    "parquet",
	Endings: []string{".parquet"},
	begins:  func(sample []byte) bool { return bytes.HasPrefix(sample, []byte("PAR1")) },
	open: func(d *document, _ Part, _ *Manner, _ int64) (Reader, error) {
		r, err := parquet.Open(d, d.Size)
		if err != nil {
			return nil, err
		}
		return &columnarReader{r, d}, nil
	},
}

// columnarReader reads rows of columns.
type columnarReader struct {
	*parquet.Reader
	document *document
}

func (r *columnarReader) Peek(int) error { return nil }

func (r *columnarReader) Next(s *Stretch) error {
	return r.Reader.Next(&s.Batch, &s.rows)
}

func (r *columnarReader) Parse(s *Stretch) { s.rows.Compose(&s.Batch) }

func (r *columnarReader) Close() {
	r.Reader.Close()
	r.document.Close()
}
