package block

import (
	"bufio"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"lastblock/core/record"

	"github.com/klauspost/compress/zstd"
)

// Record is a record that was retained with a block.
type Record struct {
	Source string
	Line   int
	Texts  []string // by the columns of all records
}

// Records calls visit for the records that were retained with a block, of sources that isWanted, in their order;
// columns are those of all records, the words of files' names behind those of the data. What visit is given is good
// until it returns. A block that has retained none has none. The error is a *BrokenError where the file is not as it
// was sealed, or what reading it or visit returned.
func (c *Chain) Records(e *Entry, isWanted func(source string) bool,
	visit func(columns []string, r *Record) error) error {
	if e.Block.Records == nil {
		return nil
	}
	file, err := os.Open(filepath.Join(c.Folder, e.Block.Records.Name))
	if err != nil {
		return err
	}
	defer file.Close()
	hash := sha256.New()
	if _, err := io.Copy(hash, file); err != nil {
		return err
	}
	if hex.EncodeToString(hash.Sum(nil)) != e.Block.Records.SHA256 {
		return c.broken(e.Number, "its records in %s were changed", e.Block.Records.Name)
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	packed, err := zstd.NewReader(file)
	if err != nil {
		return err
	}
	defer packed.Close()
	in := csv.NewReader(bufio.NewReaderSize(packed, 1<<16))
	in.ReuseRecord, in.LazyQuotes = true, true
	header, err := in.Read()
	n := len(header) - 2
	if err != nil || n < 0 || !slices.Equal(header[n:], []string{record.SourceColumn, record.LineColumn}) {
		return errors.Join(fmt.Errorf("the records of block %d have other columns than it says", e.Number), err)
	}
	columns := slices.Clone(header[:n])
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
		r.Source, r.Texts = cells[n], cells[:n]
		if r.Line, err = strconv.Atoi(cells[n+1]); err != nil {
			return err
		}
		if err := visit(columns, r); err != nil {
			return err
		}
	}
}
