package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/xuri/excelize/v2"
)

// measureAgainst runs a yardstick that is no command of its own.
func measureAgainst(name, path string) error {
	if parts, ok := strings.CutPrefix(name, "reading:"); ok {
		return readTogether(parts, path)
	}
	switch name {
	case "workbook":
		return loopRows(path)
	case "json":
		return decodeLines(path)
	}
	return fmt.Errorf("there is no yardstick %q", name)
}

// loopRows is the bare loop over the rows of a workbook with the workbook
// package's own streaming reader.
func loopRows(path string) error {
	book, err := excelize.OpenFile(path)
	if err != nil {
		return err
	}
	rows, err := book.Rows(book.GetSheetName(0))
	if err != nil {
		return err
	}
	n := 0
	for rows.Next() {
		if _, err := rows.Columns(); err != nil {
			return err
		}
		n++
	}
	fmt.Println(n)
	return errors.Join(rows.Close(), book.Close())
}

// decodeLines decodes JSON lines into maps with the standard library.
func decodeLines(path string) error {
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	decoder := json.NewDecoder(bufio.NewReaderSize(file, 1<<16))
	for n := 0; ; n++ {
		var record map[string]any
		if err := decoder.Decode(&record); errors.Is(err, io.EOF) {
			fmt.Println(n)
			return nil
		} else if err != nil {
			return err
		}
	}
}
