package collate

import (
	"context"
	"os"
	"path/filepath"

	"lastblock/core/source"
)

// exampleSet makes the two sources of the example.
func exampleSet() (*source.Set, source.Reading, func()) {
	dir, err := os.MkdirTemp("", "example")
	if err != nil {
		panic(err)
	}
	for name, text := range map[string]string{
		"brackenfell.csv": "document,debit\nB1,10.00\n", "corvane.csv": "debit;document\n7.50;C1\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			panic(err)
		}
	}
	set, err := source.Find(context.Background(), source.Search{Paths: []string{dir}})
	if err != nil {
		panic(err)
	}
	return set, source.Reading{Jobs: 2, Memory: 1 << 28}, func() { os.RemoveAll(dir) }
}
