package source

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/decision"

	"github.com/zeebo/xxh3"
)

// The columns that Lastblock puts behind the data, so that every record tells
// where it came from.
const (
	SourceColumn = "source"
	LineColumn   = "source_line"
)

// LedgerName is the file in which Lastblock notes, in each folder, what it
// wrote there: a line per output with its size, the 128-bit fingerprint of its
// content, and its name. By it an output is known again under any name.
const LedgerName = ".lastblock-outputs"

// isOwnOutput knows a result of collate, or a suspense file, by its last
// columns, wherever it was copied to, a file of decisions by all of them, and a
// sheet to decide on by its first ones.
func isOwnOutput(columns []string) bool {
	n := len(columns)
	return n >= 2 && columns[n-2] == SourceColumn && columns[n-1] == LineColumn || slices.Equal(columns, decision.Columns) ||
		n >= len(reviewColumns) && slices.Equal(columns[:len(reviewColumns)], reviewColumns)
}

// reviewColumns are the first columns of a sheet to decide on; package review,
// which is above this one, has them all.
var reviewColumns = []string{"decision", "reason", "id", "kind", "place", SourceColumn, "sheet", LineColumn}

// ledger is what one folder's notes say: fingerprints by size.
type ledger map[int64][]string

// readLedger reads a folder's notes. A folder without them has none.
func readLedger(folder string) ledger {
	file, err := os.Open(filepath.Join(folder, LedgerName))
	if err != nil {
		return nil
	}
	defer file.Close()
	notes := make(ledger)
	for lines := bufio.NewScanner(file); lines.Scan(); {
		size, rest, ok := strings.Cut(lines.Text(), " ")
		n, err := strconv.ParseInt(size, 10, 64)
		if !ok || err != nil {
			continue
		}
		fingerprint, _, _ := strings.Cut(rest, " ")
		notes[n] = append(notes[n], fingerprint)
	}
	return notes
}

// wrote tells whether the notes name a file of this size and content.
func (l ledger) wrote(path string, size int64) bool {
	candidates := l[size]
	if len(candidates) == 0 {
		return false
	}
	fingerprint, err := printOf(path, make([]byte, printBuffer))
	if err != nil {
		return false
	}
	for _, c := range candidates {
		if c == fingerprint {
			return true
		}
	}
	return false
}

// Fingerprint prints a content hash as a ledger holds it.
func Fingerprint(hash *xxh3.Hasher) string {
	sum := hash.Sum128().Bytes()
	return fmt.Sprintf("%x", sum)
}

// NoteOutput notes in the ledger of its folder that path was written, in place
// of an earlier note on the same name. Notes on files that are no longer there
// stay, since those may have been renamed.
func NoteOutput(path string, size int64, fingerprint string) error {
	folder, name := filepath.Split(path)
	ledgerPath := filepath.Join(folder, LedgerName)
	old, err := os.ReadFile(ledgerPath)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	var notes strings.Builder
	for line := range strings.Lines(string(old)) {
		parts := strings.SplitN(strings.TrimSuffix(line, "\n"), " ", 3)
		if len(parts) == 3 && parts[2] != name {
			notes.WriteString(line)
		}
	}
	fmt.Fprintf(&notes, "%d %s %s\n", size, fingerprint, name)
	next := ledgerPath + ".new"
	if err := os.WriteFile(next, []byte(notes.String()), 0o644); err != nil {
		return err
	}
	return os.Rename(next, ledgerPath)
}
