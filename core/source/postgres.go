package source

import (
	"context"
	"errors"
	"strings"

	"lastblock/core/format/postgres"
)

// postgresql is a query of a PostgreSQL database.
var postgresql = &Format{
	Name: "postgresql",
	connect: func(ctx context.Context, s *Source) (Reader, error) {
		address, err := postgres.ParseAddress(s.Path)
		if err != nil {
			return nil, err
		}
		r, err := postgres.Open(ctx, address, s.manner().Query)
		if err != nil {
			return nil, err
		}
		return &queryReader{r}, nil
	},
}

// queryReader reads the rows of a query.
type queryReader struct{ *postgres.Reader }

func (r *queryReader) Peek(int) error { return nil }

// Next takes the next rows into a buffer of the stretch, since several are under way.
func (r *queryReader) Next(s *Stretch) error {
	if err := r.Reader.Next(&s.Batch); err != nil {
		return err
	}
	s.text = append(s.text[:0], s.Data...)
	s.Data = s.text
	return nil
}

func (r *queryReader) Parse(*Stretch) {}

// IsQuery tells whether a path is that of a PostgreSQL database, of which a query is
// read: postgres://user@host/database.
func IsQuery(path string) bool { return postgres.IsAddress(path) }

// QueryFromPlan is such a path as it counts where it stands in a plan, see postgres.FromPlan.
func QueryFromPlan(path string) string { return postgres.FromPlan(path) }

// ErrNoQuery says that it is not known what to read of a database.
var ErrNoQuery = errors.New("what is to be read of the database? Say it with ⟨query⟩ 'select …'")

// query takes in a database.
func (f *finder) query(path string) error {
	address, err := postgres.ParseAddress(path)
	if err != nil {
		return err
	}
	s := Source{Name: address.Name, Path: path, Size: -1, below: address.Name, format: postgresql}
	s.as = f.mannerOf(&s)
	if strings.TrimSpace(s.manner().Query) == "" {
		return &Error{address.Name, ErrNoQuery}
	}
	f.set.Sources, f.ordered = append(f.set.Sources, s), false
	return nil
}
