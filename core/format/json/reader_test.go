package json

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/record"
)

// readAll reads records as maps from column to text.
func readAll(text, at string) (records []map[string]string, refused int, err error) {
	return readMembers(text, at, "")
}

// readMembers is readAll where the members of an object are the records.
func readMembers(text, at, member string) (records []map[string]string, refused int, err error) {
	r, err := Open(func() io.Reader { return strings.NewReader(text) }, at, member)
	if err != nil {
		return nil, 0, err
	}
	var block Block
	var data, scratch []byte
	for {
		err := r.Next(&block)
		if errors.Is(err, io.EOF) {
			return records, refused, nil
		}
		if err != nil {
			return records, refused, err
		}
		var b record.Batch
		data = r.Parse(&block, &b, data)
		refused += len(b.Refused)
		for row := range b.Rows {
			fields := make(map[string]string)
			for column, name := range r.Head().Layout.Columns {
				if text := b.Text(row, column, &scratch); len(text) > 0 {
					fields[name] = string(text)
				}
			}
			records = append(records, fields)
		}
	}
}

// The standard library is the oracle for arrays of flat objects.
func TestAgainstTheStandardLibrary(t *testing.T) {
	text := `[{"a": "x\u00e4\ud83d\ude80\\\/\n\t\"", "b": -0.50, "c": true}, {"b": 12e-1}, {"c": null, "d e": "", "\u0061": "y"}]`
	var oracle []map[string]any
	decoder := json.NewDecoder(strings.NewReader(text))
	decoder.UseNumber()
	if err := decoder.Decode(&oracle); err != nil {
		t.Fatal(err)
	}
	var want []map[string]string
	for _, object := range oracle {
		fields := make(map[string]string)
		for key, value := range object {
			if value != nil && fmt.Sprint(value) != "" {
				fields[key] = fmt.Sprint(value)
			}
		}
		want = append(want, fields)
	}
	want[1]["b"] = "1.2" // 12e-1, without its exponent
	if got, _, err := readAll(text, ""); err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%v: records are %q, want %q", err, got, want)
	}
}

// Records that are longer than what is read at once, and more than one block.
func TestLongRecordsAndManyBlocks(t *testing.T) {
	var text bytes.Buffer
	long := strings.Repeat("long ", 200_000)
	text.WriteString("[")
	const n = 5000
	for i := range n {
		if i > 0 {
			text.WriteString(",\n")
		}
		value := "short"
		if i%1000 == 7 {
			value = long
		}
		fmt.Fprintf(&text, `{"n": %d, "text": %q}`, i, value)
	}
	text.WriteString("]")
	got, refused, err := readAll(text.String(), "")
	if err != nil || refused > 0 || len(got) != n {
		t.Fatalf("%v: %d records, %d refused", err, len(got), refused)
	}
	if got[1007]["text"] != long || got[n-1]["n"] != fmt.Sprint(n-1) {
		t.Error("a long record is not whole")
	}
}

func FuzzRead(f *testing.F) {
	for _, text := range []string{
		`[{"a": 1.5, "b": {"c": [1, {"d": "\u00e4"}]}}, null]`, "{\"a\":1}\n{\"a\":\n{\"a\":2,\"a\":3}",
		`{"x": {"y": [{"z": true}]}}`,
		"\ufeff{}", `[[[[`, `{"a":"` + "\\", `{"a" 1}`, `[{"a":1}{]`,
	} {
		f.Add(text, "")
	}
	f.Add(`{"x": {"y": [{"z": true}]}}`, "/x/y")
	f.Fuzz(func(t *testing.T, text, at string) {
		records, refused, err := readAll(text, at)
		// Whatever the standard library takes for an array of objects has as many
		// records here, the refused ones with them.
		var oracle []map[string]any
		if err != nil || at != "" || json.Unmarshal([]byte(text), &oracle) != nil {
			return
		}
		if len(records)+refused != len(oracle) {
			t.Errorf("%q has %d records, and %d were read and %d refused", text, len(oracle), len(records), refused)
		}
	})
}

func TestMembersAsRecords(t *testing.T) {
	text := `{"meta": {"n": 1}, "docs": {"D\u00431": {"debit": 5, "text": "a"}, "D2": { }, "D3" : 7, "D4": {"debit": 8.50}}}`
	got, refused, err := readMembers(text, "/docs", "document")
	want := []map[string]string{{"document": "DC1", "debit": "5", "text": "a"}, {"document": "D2"},
		{"document": "D4", "debit": "8.50"}}
	if err != nil || refused != 1 || !reflect.DeepEqual(got, want) {
		t.Errorf("%v, %d refused, records are %v, want %v", err, refused, got, want)
	}
	if got, _, err := readMembers(`{}`, "", "document"); err != nil || len(got) != 0 {
		t.Errorf("%v: of an empty object the records are %v", err, got)
	}
	if _, _, err := readMembers(`[{"a": 1}]`, "", "document"); err == nil ||
		!strings.Contains(err.Error(), "an object whose members are the records") {
		t.Errorf("of an array the error is %v", err)
	}
	if _, _, err := readMembers(`{"D1": {"a": 1} "D2": {}}`, "", "document"); err == nil {
		t.Error("a missing comma is no error")
	}
}

func TestObjectsByKeyAreNoticed(t *testing.T) {
	for text, want := range map[string]bool{
		`{"A": {"n": 1}, "B": {"n": 1}, "C": {"n": 1}, "D": {"n": 1}, "E": {"n": 1}}`:               true,
		`{"A": {"n": 1}, "B": {"n": 1}, "C": {"n": 1}, "D": {"n": 1}}`:                              false,
		`{"store": "x", "total": 5, "open": true, "n": 7, "address": {"town": "y", "street": "z"}}`: false,
	} {
		r, err := Open(func() io.Reader { return strings.NewReader(text) }, "", "")
		if err != nil || r.Head().Keyed != want {
			t.Errorf("%v: %s: %v, want %v", err, text, r.Head().Keyed, want)
		}
	}
}
