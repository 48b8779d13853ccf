package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/big"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// writeFiles writes files into a folder.
func writeFiles(t *testing.T, dir string, files map[string]string) {
	t.Helper()
	for name, text := range files {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// passesPlan is that of the demo's pass sales.
const passesPlan = "lastblock-demo/passes/lastblock.toml"

// The statuses of the demo's passes are the same in every format, and are those that were
// planted.
func TestStatusesInEveryFormat(t *testing.T) {
	dir := demoFolder(t)
	planted := map[string]int{"differs": 1, "only-here": 1, "only-there": 1, "ambiguous": 2}
	for _, ending := range []string{"csv", "tsv", "json", "jsonl", "xlsx", "parquet", "csv.gz", "jsonl.zst"} {
		out := filepath.Join("lastblock-demo", "results", "both."+ending)
		if _, stderr, code := runProgram(t, dir, "", "reconcile", "--plan", passesPlan, "--out",
			out); code != ExitStop {
			t.Fatalf("%s: it ends with %d: %s", ending, code, stderr)
		}
		sheets := []string{""}
		if ending == "xlsx" {
			sheets = []string{"agrees", "differs", "only-here", "only-there", "ambiguous"}
		}
		counts := make(map[string]int)
		total := new(big.Rat)
		for _, sheet := range sheets {
			stdout, stderr, code := runProgram(t, dir, "", "collate", out, "--bare", "--sheet", sheet)
			if code == ExitNotDone {
				t.Fatalf("%s: %s", ending, stderr)
			}
			records, err := csv.NewReader(strings.NewReader(stdout)).ReadAll()
			if err != nil {
				t.Fatal(err)
			}
			status, amount := slices.Index(records[0], "status"), slices.Index(records[0], "amount")
			for _, record := range records[1:] {
				counts[record[status]]++
				if record[amount] != "" {
					total.Add(total, money(t, record[amount]))
				}
			}
		}
		for name, n := range planted {
			if counts[name] != n {
				t.Errorf("%s has %d records of status %s, want %d", ending, counts[name], name, n)
			}
		}
		if want := salesTotal(t, dir); total.Cmp(want) != 0 {
			t.Errorf("%s: the amounts here come to %s, want %s", ending, total.FloatString(2), want.FloatString(2))
		}
	}
}

// salesTotal adds up the demo's pass sales with the stock reader.
func salesTotal(t *testing.T, dir string) *big.Rat {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "lastblock-demo", "passes", "sales", "*.csv"))
	if err != nil || len(files) != 5 {
		t.Fatalf("%v: there are %d files of sales", err, len(files))
	}
	total := new(big.Rat)
	for _, file := range files {
		for _, record := range readCSV(t, file, ',')[1:] {
			total.Add(total, money(t, record[3]))
		}
	}
	return total
}

// The workbook has a sheet for each status, and in front the statement, which foots.
func TestReconciledWorkbook(t *testing.T) {
	dir := demoFolder(t)
	out := filepath.Join(dir, "both.xlsx")
	if _, stderr, code := runProgram(t, dir, "", "reconcile", "--plan", passesPlan, "--out", out); code != ExitStop {
		t.Fatalf("it ends with %d: %s", code, stderr)
	}
	book, err := excelize.OpenFile(out)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if got := strings.Join(book.GetSheetList(), " "); got != "Statement differs only-here only-there ambiguous agrees" {
		t.Errorf("its sheets are %s", got)
	}
	rows, err := book.GetRows("Statement", excelize.Options{RawCellValue: true})
	if err != nil {
		t.Fatal(err)
	}
	sums := make(map[string]float64)
	for _, row := range rows[1:] {
		value, err := strconv.ParseFloat(row[3], 64)
		if err != nil {
			t.Fatalf("%q is no number: %v", row, err)
		}
		if row[0] == "total per reference" {
			if apart := sums[row[1]] - value; apart > 0.001 || apart < -0.001 {
				t.Errorf("the statement of %q comes to %.2f, and its last line is %.2f", row[1], sums[row[1]], value)
			}
			continue
		}
		sums[row[1]] += value
	}
	if len(sums) != 6 {
		t.Errorf("there are statements of %v", sums)
	}
	rows, err = book.GetRows("differs", excelize.Options{RawCellValue: true})
	if err != nil || len(rows) != 2 {
		t.Fatalf("%v: %d rows differ", err, len(rows))
	}
	column := func(name string) string { return rows[1][slices.Index(rows[0], name)] }
	here, _ := strconv.ParseFloat(column("amount"), 64)
	there, _ := strconv.ParseFloat(column("amount there"), 64)
	apart, _ := strconv.ParseFloat(column("amount difference"), 64)
	if column("pass_no") != "00423" || column("pass_no there") != "423" || apart == 0 || there-here-apart > 0.001 ||
		there-here-apart < -0.001 {
		t.Errorf("the record that differs is %q", rows[1])
	}
}

// The corrected set agrees with the reference, but for what only one side has and what is
// ambiguous.
func TestTheCorrectedSetAgrees(t *testing.T) {
	dir := demoFolder(t)
	corrected := filepath.Join("lastblock-demo", "results", "corrected.csv")
	if _, stderr, code := runProgram(t, dir, "", "reconcile", "--plan", passesPlan, "--corrected", corrected,
		"--prefer", "reference", "--bare"); code != ExitStop {
		t.Fatalf("it ends with %d: %s", code, stderr)
	}
	stdout, stderr, _ := runProgram(t, dir, "", "reconcile", corrected, "--against",
		"lastblock-demo/passes/statement.csv",
		"--against-rename", "Pass=pass_no,Company=entity,Sold=sold,Amount=amount", "--key", "pass_no", "--total",
		"amount", "--json")
	var document struct {
		Counts    map[string]int
		Statement []struct{ Label, Amount string }
	}
	if err := json.Unmarshal([]byte(stdout), &document); err != nil {
		t.Fatalf("%v: %s%s", err, stdout, stderr)
	}
	if c := document.Counts; c["differs"] != 0 || c["only-here"] != 1 || c["only-there"] != 0 || c["ambiguous"] != 0 ||
		c["agrees"] != 45 {
		t.Errorf("against the corrected set the counts are %v", c)
	}
}

// What one source lacks is told apart from what is blank in it, where the format can.
func TestAlignedFormats(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"in/a.csv": "k,name\nx,\ny,blue\n", "in/b.csv": "k,v\nx,1.50\nz,2\n"})
	run := func(out string) string {
		if _, stderr, code := runProgram(t, dir, "", "align", "in", "--key", "k", "--out", out); code != ExitDone {
			t.Fatalf("%s: it ends with %d: %s", out, code, stderr)
		}
		text, err := os.ReadFile(filepath.Join(dir, out))
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	for out, want := range map[string]string{
		"o.csv": "k,present_in,name,v\nx,2,\"\",1.50\ny,1,blue,\nz,1,,2\n",
		"o.tsv": "k\tpresent_in\tname\tv\nx\t2\t\"\"\t1.50\ny\t1\tblue\t\nz\t1\t\t2\n",
		"o.jsonl": `{"k":"x","present_in":"2","name":"","v":"1.50"}` + "\n" +
			`{"k":"y","present_in":"1","name":"blue","v":null}` + "\n" +
			`{"k":"z","present_in":"1","name":null,"v":"2"}` + "\n",
	} {
		if got := run(out); got != want {
			t.Errorf("%s is\n%s\nwant\n%s", out, got, want)
		}
	}
	run("o.xlsx")
	book, err := excelize.OpenFile(filepath.Join(dir, "o.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	for cell, want := range map[string]excelize.CellType{"C2": excelize.CellTypeInlineString,
		"C4": excelize.CellTypeUnset, "D3": excelize.CellTypeUnset, "D2": excelize.CellTypeNumber} {
		if got, err := book.GetCellType("Records", cell); err != nil || got != want &&
			!(want == excelize.CellTypeNumber && got == excelize.CellTypeUnset) {
			t.Errorf("cell %s is of type %d, want %d: %v", cell, got, want, err)
		}
	}
	if value, err := book.GetCellValue("Records", "D2", excelize.Options{RawCellValue: true}); err != nil ||
		value != "1.5" {
		t.Errorf("the amount is %q: %v", value, err)
	}
	run("o.parquet")
	stdout, stderr, code := runProgram(t, dir, "", "collate", "o.parquet", "--bare")
	if want := "k,present_in,name,v\nx,2,,1.50\ny,1,blue,\nz,1,,2.00\n"; code != ExitDone || stdout != want {
		t.Errorf("read back, it is\n%s%s", stdout, stderr)
	}
}

// In a workbook what is brought is of its kind: a rate is a number, a code a text.
func TestAttachedKinds(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"r.csv": "k,v\nEUR,1\nCHF,2\nGBP,3\n",
		"ref.csv": "code;rate;account;from\nEUR;1,00;00417;2031-01-31\nCHF;1,05;00418;2031-02-28\n"})
	_, stderr, code := runProgram(t, dir, "", "attach", "r.csv", "--from", "ref.csv", "--key", "k=code", "--bring",
		"rate,account,from", "--else", "none", "--out", "o.xlsx")
	if code != ExitDone {
		t.Fatalf("it ends with %d: %s", code, stderr)
	}
	book, err := excelize.OpenFile(filepath.Join(dir, "o.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	for cell, want := range map[string]string{"C1": "rate", "C2": "1", "C3": "1.05", "C4": "none", "D2": "00417",
		"D4": "none", "E3": "47907", "E4": "none"} {
		if got, err := book.GetCellValue("Records", cell, excelize.Options{RawCellValue: true}); err != nil ||
			got != want {
			t.Errorf("cell %s holds %q, want %q: %v", cell, got, want, err)
		}
	}
}

// Either side may come from a pipe, since each is read once.
func TestReconcileAPipe(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"b.csv": "k,v\na,1\nb,3\n"})
	const piped = "k,v\na,1\nb,2\n"
	for _, args := range [][]string{{"-", "--against", "b.csv"}, {"b.csv", "--against", "-"}} {
		stdout, stderr, code := runProgram(t, dir, piped,
			append([]string{"reconcile", "--key", "k", "--total", "v"}, args...)...)
		if code != ExitStop || !strings.Contains(stdout, "v: other amounts (1 pair)") {
			t.Errorf("%v ends with %d: %s%s", args, code, stdout, stderr)
		}
	}
}

// Many small files on both sides come to what one large one comes to.
func TestManyFilesAreOne(t *testing.T) {
	dir := t.TempDir()
	files := make(map[string]string)
	here, there := "k,v\n", "k,v\n"
	for i := range 300 {
		a, b := fmt.Sprintf("K%d,%d.00\n", i, i), fmt.Sprintf("K%d,%d.00\n", i, i+i%7/6)
		files[fmt.Sprintf("here/f%d.csv", i)] = "k,v\n" + a
		files[fmt.Sprintf("there/g%d.csv", 299-i)] = "k,v\n" + b
		here, there = here+a, there+b
	}
	files["here.csv"], files["there.csv"] = here, there
	writeFiles(t, dir, files)
	var documents [2]struct {
		Counts    map[string]int
		Statement []struct {
			Label, Amount string
			Count         int
		}
	}
	for i, args := range [][]string{{"here", "--against", "there"}, {"here.csv", "--against", "there.csv"}} {
		stdout, stderr, _ := runProgram(t, dir, "",
			append([]string{"reconcile", "--key", "k", "--total", "v", "--json"}, args...)...)
		if err := json.Unmarshal([]byte(stdout), &documents[i]); err != nil {
			t.Fatalf("%v: %s", err, stderr)
		}
	}
	if a, b := fmt.Sprint(documents[0]), fmt.Sprint(documents[1]); a != b || documents[0].Counts["differs"] != 42 {
		t.Errorf("the files come to\n%s\nand the large ones to\n%s", a, b)
	}
}

// Results do not land among the sources of either side, nor does a finding of another
// kind than these let them be written.
func TestReconcileKeepsItsOutputsApart(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"here/a.csv": "k,v\na,1\n", "there/b.csv": "k,v\na,2\n",
		"lacks/b.csv": "k,w\na,2\n", "lacks/c.csv": "k,v\nb,2\n"})
	for _, out := range []string{"here/out.csv", "there/out.csv"} {
		_, stderr, code := runProgram(t, dir, "", "reconcile", "here", "--against", "there", "--key", "k", "--out", out)
		if code != ExitNotDone || !strings.Contains(stderr, "would lie among the sources") {
			t.Errorf("%s: it ends with %d: %s", out, code, stderr)
		}
	}
	args := []string{"reconcile", "here", "--against", "lacks", "--key", "k", "--total", "v", "--out", "out.csv"}
	stdout, stderr, code := runProgram(t, dir, "", args...)
	if _, err := os.Stat(filepath.Join(dir, "out.csv")); code != ExitStop || err == nil ||
		!strings.Contains(stdout, "the result was not written, because of \"stop\" findings") {
		t.Errorf("where a source lacks the total it ends with %d: %s%s", code, stdout, stderr)
	}
	if _, stderr, code := runProgram(t, dir, "", append(args, "--anyway")...); code != ExitStop {
		t.Errorf("all the same it ends with %d: %s", code, stderr)
	}
	if _, err := os.Stat(filepath.Join(dir, "out.csv")); err != nil {
		t.Error(err)
	}
}

// What is known is accepted, and then stops nothing.
func TestAcceptWhatReconcileFinds(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	writeFiles(t, dir, map[string]string{"a.csv": "k,v\na,1\nb,2\n", "b.csv": "k,v\na,1\nb,5\n"})
	args := []string{"reconcile", "a.csv", "--against", "b.csv", "--key", "k", "--total", "v", "--decisions",
		"decisions.csv"}
	if _, stderr, code := runProgram(t, dir, "", args[:len(args)-2]...); code != ExitStop {
		t.Fatalf("it ends with %d: %s", code, stderr)
	}
	stdout, _, _ := runProgram(t, dir, "", args[:len(args)-2]...)
	id := printedID.FindString(stdout)
	if _, stderr, code := runProgram(t, dir, "", "decide", strings.TrimPrefix(strings.TrimSpace(id), "id "), "--accept",
		"--reason", "a fee of the bank", "--decisions", "decisions.csv"); code != ExitDone {
		t.Fatalf("decide %q ends with %d: %s", id, code, stderr)
	}
	if stdout, stderr, code := runProgram(t, dir, "", args...); code != ExitDone ||
		!strings.Contains(stdout, "a fee of the bank") {
		t.Errorf("accepted, it ends with %d: %s%s", code, stdout, stderr)
	}
	writeFiles(t, dir, map[string]string{"b.csv": "k,v\na,1\nb,6\n"})
	if stdout, _, code := runProgram(t, dir, "", args...); code != ExitStop || !strings.Contains(stdout, "accepted") {
		t.Errorf("with another difference it ends with %d: %s", code, stdout)
	}
}
