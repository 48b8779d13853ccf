package source

import (
	"context"
	"errors"
	"strings"
	"testing"
)

// A database is a source that is no file, called by its address without what is secret.
func TestFindAQuery(t *testing.T) {
	const address = "postgres://reader@localhost:5433/books?sslmode=disable"
	set, err := Find(context.Background(), Search{Paths: []string{address}, Jobs: 1,
		Manner: &Manner{Query: "select 1"}})
	if err != nil {
		t.Fatal(err)
	}
	if s := &set.Sources[0]; len(set.Sources) != 1 || s.Name != "postgres://reader@localhost:5433/books" ||
		s.Size != -1 || set.IsText(0) || !set.IsShared(0) || set.IsVerbatim(0) {
		t.Errorf("it is found as %+v", set.Sources)
	}
	for _, manner := range []*Manner{nil, {}, {Query: "  "}} {
		if _, err := Find(context.Background(),
			Search{Paths: []string{address}, Jobs: 1, Manner: manner}); !errors.Is(err, ErrNoQuery) ||
			!strings.Contains(err.Error(), "postgres://reader@localhost:5433/books: ") {
			t.Errorf("without a query the error is %v", err)
		}
	}
	for path, is := range map[string]bool{address: true, "postgresql://x/y": true, "postgres.csv": false,
		"./postgres:/x": false} {
		if IsQuery(path) != is {
			t.Errorf("%s is a query: %v", path, !is)
		}
	}
}
