package source

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"lastblock/core/finding/decision"
	"lastblock/core/finding/lock"
	"lastblock/core/record"
	"lastblock/internal/fault"

	"github.com/zeebo/xxh3"
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

// NoteOutput notes in the ledger of its folder that a file is written. Notes are only
// ever added, under a lock, so that several runs into one folder lose none; those on
// files that are no longer there stay, since these may have been renamed.
func NoteOutput(path string, size int64, fingerprint string) (err error) {
	folder, name := filepath.Split(path)
	file, err := os.OpenFile(filepath.Join(folder, LedgerName), os.O_RDWR|os.O_APPEND|os.O_CREATE, 0o644)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	const patience = 10 * time.Second
	if err := lock.Take(file, patience); err != nil {
		return fmt.Errorf("%s: %w", file.Name(), err)
	}
	notes, err := io.ReadAll(file)
	if err != nil {
		return err
	}
	note := fmt.Sprintf("%d %s %s\n", size, fingerprint, strings.ReplaceAll(name, "\n", " "))
	if len(notes) > 0 && notes[len(notes)-1] != '\n' {
		note = "\n" + note // the one before was torn
	}
	if bytes.Contains(append([]byte("\n"), notes...), []byte("\n"+note)) {
		return nil
	}
	if err = fault.Write(); err == nil {
		_, err = file.WriteString(note)
	}
	if err != nil {
		err = errors.Join(err, file.Truncate(int64(len(notes))))
	}
	return err
}
