package block

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strconv"

	"lastblock/core/record"
)

// Record is a record that was retained with a block.
type Record struct {
	Source string
	Line   int
	Texts  []string // by the columns of all records
	State  string   // used, suspense, dropped (by a condition) or left (by a decision)
	Reason string   // why it is not used
	Raw    string   // of a line that has no fields, as it was sent; else ""
	All    bool     // the block has retained all records that were read, and not used ones only
}

// UsedState is the state of a record that is used.
const UsedState = "used"

// IsUsed tells whether the record is one of those that were used.
func (r *Record) IsUsed() bool { return r.State == UsedState }

// stateColumns are those that say what became of a record. Blocks of earlier versions have none, and retained used
// records only.
var stateColumns = []string{record.StateColumn, record.ReasonColumn, record.RawColumn}

// Records calls visit for the records that were retained with a block, of sources that isWanted, in their order;
// columns are those of all records, the words of files' names behind those of the data. What visit is given is good
// until it returns. A block that has retained none has none. The error is a *BrokenError where the file is not as it
// was sealed, or what reading it or visit returned.
func (c *Chain) Records(e *Entry, isWanted func(source string) bool,
	visit func(columns []string, r *Record) error) error {
	if e.Block.Records == nil {
		return nil
	}
	if e.Version < 3 {
		return c.lost(e, e, "records", *e.Block.Records, c.recordsOf(e, isWanted, visit))
	}
	sources, err := c.Sources(e)
	if err != nil {
		return err
	}
	in := make(map[int]map[string]bool) // sources by the block that has retained their records
	for i := range sources {
		if s := &sources[i]; s.Retained > 0 && s.Of == "" && isWanted(s.Source) {
			if in[s.Retained] == nil {
				in[s.Retained] = make(map[string]bool)
			}
			in[s.Retained][s.Source] = true
		}
	}
	for _, number := range slices.Sorted(maps.Keys(in)) {
		if number > e.Number || c.Entries[number-1].Block.Records == nil {
			return c.broken(e.Number, "it stands on the records of block %d, which has retained none", number)
		}
		of := &c.Entries[number-1]
		err := c.recordsOf(of, func(source string) bool { return in[number][source] }, visit)
		if errors.Is(err, fs.ErrNotExist) {
			return &LostError{Number: e.Number, What: "records", In: number,
				Name:    filepath.Join(c.Folder, of.Block.Records.Name),
				Sources: len(in[number]), Of: e.SourceCount}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// recordsOf is Records for those that stand with a block itself.
func (c *Chain) recordsOf(e *Entry, isWanted func(source string) bool,
	visit func(columns []string, r *Record) error) error {
	return c.open(e, *e.Block.Records, "records", func(packed io.Reader) error {
		return e.readRecords(packed, isWanted, visit)
	})
}

func (b *Block) readRecords(packed io.Reader, isWanted func(source string) bool,
	visit func(columns []string, r *Record) error) error {
	in := csv.NewReader(bufio.NewReaderSize(packed, 1<<16))
	in.ReuseRecord, in.LazyQuotes = true, true
	header, err := in.Read()
	n := len(header) - 2
	if err != nil || n < 0 || !slices.Equal(header[n:], []string{record.SourceColumn, record.LineColumn}) {
		return errors.Join(fmt.Errorf("the records of block %d have other columns than it says", b.Number), err)
	}
	last := n // behind the texts
	states := n >= len(stateColumns) && slices.Equal(header[n-len(stateColumns):n], stateColumns)
	if states {
		last = n - len(stateColumns)
	}
	columns := slices.Clone(header[:last])
	r := new(Record)
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if !isWanted(cells[n]) {
			continue
		}
		r.Source, r.Texts, r.State, r.All = cells[n], cells[:last], UsedState, states
		if states {
			r.State, r.Reason, r.Raw = cells[last], cells[last+1], cells[last+2]
		}
		if r.Line, err = strconv.Atoi(cells[n+1]); err != nil {
			return err
		}
		if err := visit(columns, r); err != nil {
			return err
		}
	}
}
