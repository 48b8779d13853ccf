package source

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/finding/decision"
	"lastblock/core/record"

	"github.com/zeebo/xxh3"
)

// LedgerName is the file in which Lastblock notes, in each folder, what it
// wrote there: a line per output with its size, the 128-bit fingerprint of its
// content, and its name. By it an output is known again under any name.
const LedgerName = ".lastblock-outputs"

// MarkPrefix begins the names of files by which a run says that it is about to place something in a folder, see package
// placing.
const MarkPrefix = ".lastblock-placing."

// isOwnNote tells whether a file is one of Lastblock's own notes, which are not worth a word.
func isOwnNote(file string) bool {
	name := filepath.Base(file)
	return name == LedgerName || strings.HasPrefix(name, MarkPrefix)
}

// isOwnOutput knows a result of collate, or a suspense file, by its last
// columns, wherever it was copied to, a file of decisions by all of them, and a
// sheet to decide on by its first ones.
func isOwnOutput(columns []string) bool {
	n := len(columns)
	return n >= 2 && columns[n-2] == record.SourceColumn && columns[n-1] == record.LineColumn ||
		slices.Equal(columns, decision.Columns) ||
		n >= len(reviewColumns) && slices.Equal(columns[:len(reviewColumns)], reviewColumns)
}

// reviewColumns are the first columns of a sheet to decide on; package review,
// which is above this one, has them all.
var reviewColumns = []string{"decision", "reason", "id", "kind", "place", record.SourceColumn, "sheet",
	record.LineColumn}

// ledger is what one folder's notes say: fingerprints by size.
type ledger map[int64][]string

// Wrote tells whether a file is as Lastblock has written it into its folder, by its notes.
func Wrote(path string) bool {
	info, err := os.Stat(path)
	if err != nil {
		return false
	}
	folder := filepath.Dir(path)
	return readNotes(folder, "").wrote(path, info.Size()) || readNotes(folder, readPrefix).wrote(path, info.Size())
}

// readPrefix begins the notes about what is written to be read as a source.
const readPrefix = "source "

// readLedger reads a folder's notes on outputs. A folder without them has none.
func readLedger(folder string) ledger { return readNotes(folder, "") }

// readNotes reads the notes that begin with a prefix.
func readNotes(folder, prefix string) ledger {
	file, err := os.Open(filepath.Join(folder, LedgerName))
	if err != nil {
		return nil
	}
	defer file.Close()
	notes := make(ledger)
	for lines := bufio.NewScanner(file); lines.Scan(); {
		line, of := strings.CutPrefix(lines.Text(), prefix)
		size, rest, ok := strings.Cut(line, " ")
		n, err := strconv.ParseInt(size, 10, 64)
		if !of || !ok || err != nil {
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
	fingerprint, err := printOf(path)
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

// NoteSource is the line of a ledger about a file that is written to be read as a source.
func NoteSource(path string, size int64, fingerprint string) string {
	return readPrefix + Note(path, size, fingerprint)
}

// Note is the line of a ledger about an output of some size and Fingerprint.
func Note(path string, size int64, fingerprint string) string {
	return fmt.Sprintf("%d %s %s", size, fingerprint, strings.ReplaceAll(filepath.Base(path), "\n", " "))
}
