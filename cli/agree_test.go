package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/big"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// randomSource writes one source in a way of its own: its decimal mark, its delimiter,
// the order of its columns, an index column, its format. It returns what amount and
// other come to, in thousandths.
func randomSource(t *testing.T, r *rand.Rand, folder string, number int) (amount, other int64) {
	t.Helper()
	mark := ".,"[r.IntN(2)]
	columns := []string{"key", "account", "text", "posted", "amount", "other"}
	r.Shuffle(len(columns), func(i, k int) { columns[i], columns[k] = columns[k], columns[i] })
	isIndexed := r.IntN(3) == 0
	var rows [][]string
	for i := range 1 + r.IntN(30) {
		a, o := int64(r.IntN(4_000_000)-1_000_000), int64(r.IntN(100_000))*10
		amount, other = amount+a, other+o
		isGrouped := r.IntN(2) == 0
		values := map[string]string{
			"key": fmt.Sprintf("K%d-%d", number, i), "account": fmt.Sprintf("%05d", r.IntN(300)),
			"posted": fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28)),
			"text":   []string{"day pass", `the "summit", one way`, "a;b\tc", "12", ""}[r.IntN(5)],
			"amount": writtenAs(a, 3, mark, isGrouped), "other": writtenAs(o, 2, mark, false),
		}
		var row []string
		for _, name := range columns {
			row = append(row, values[name])
		}
		rows = append(rows, row)
	}
	name := filepath.Join(folder, fmt.Sprintf("s%d", number))
	switch r.IntN(4) {
	case 0:
		writeLines(t, name+".jsonl", columns, rows)
	case 1:
		writeTexts(t, name+".xlsx", columns, rows)
	default:
		delimiter := ",;\t"[r.IntN(3)]
		var b strings.Builder
		for i, row := range append([][]string{columns}, rows...) {
			if isIndexed {
				row = append([]string{[]string{"", fmt.Sprint(i - 1)}[min(i, 1)]}, row...)
			}
			for k, text := range row {
				if k > 0 {
					b.WriteByte(delimiter)
				}
				if strings.ContainsAny(text, "\",;\t") {
					text = `"` + strings.ReplaceAll(text, `"`, `""`) + `"`
				}
				b.WriteString(text)
			}
			b.WriteByte('\n')
		}
		if err := os.WriteFile(name+".csv", []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return amount, other
}

// writtenAs writes thousandths with so many decimals, which lose nothing.
func writtenAs(thousandths int64, decimals int, mark byte, isGrouped bool) string {
	sign := ""
	if thousandths < 0 {
		sign, thousandths = "-", -thousandths
	}
	whole, rest := fmt.Sprint(thousandths/1000), fmt.Sprintf("%03d", thousandths%1000)[:decimals]
	group := map[byte]string{'.': ",", ',': "."}[mark]
	if isGrouped && len(whole) > 3 {
		whole = whole[:len(whole)-3] + group + whole[len(whole)-3:]
	}
	return sign + whole + string(mark) + rest
}

func writeLines(t *testing.T, path string, columns []string, rows [][]string) {
	t.Helper()
	var b bytes.Buffer
	for _, row := range rows {
		object := make(map[string]string)
		for i, name := range columns {
			object[name] = row[i]
		}
		if err := json.NewEncoder(&b).Encode(object); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
}

func writeTexts(t *testing.T, path string, columns []string, rows [][]string) {
	t.Helper()
	book := excelize.NewFile()
	for i, row := range append([][]string{columns}, rows...) {
		for k, text := range row {
			cell, err := excelize.CoordinatesToCellName(k+1, i+1)
			if err == nil {
				err = book.SetCellStr("Sheet1", cell, text)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := book.SaveAs(path); err != nil {
		t.Fatal(err)
	}
}

// asked is what a command prints as JSON. Findings that stop are no matter.
func asked(t *testing.T, args ...string) map[string]any {
	t.Helper()
	var stdout, stderr bytes.Buffer
	if code := Run(context.Background(), args, strings.NewReader(""), &stdout, &stderr); code == ExitNotDone {
		t.Fatalf("%v: %s", args, stderr.String())
	}
	var document map[string]any
	if err := json.Unmarshal(stdout.Bytes(), &document); err != nil {
		t.Fatalf("%v: %v: %s", args, err, stdout.String())
	}
	return document
}

// at goes down a document by names.
func at(t *testing.T, document any, names ...string) any {
	t.Helper()
	for _, name := range names {
		members, ok := document.(map[string]any)
		if !ok || members[name] == nil {
			t.Fatalf("there is no %v in %v", names, document)
		}
		document = members[name]
	}
	return document
}

// figuresByCommand asks every command that counts for the total of a column.
func figuresByCommand(t *testing.T, folder, column string, how []string) map[string]*big.Rat {
	t.Helper()
	figures := make(map[string]*big.Rat)
	note := func(name string, text any) { figures[name] = money(t, text.(string)) }
	ask := func(args ...string) map[string]any {
		return asked(t, append(append(args, "--json", "--quiet"), how...)...)
	}
	note("tieout", at(t, ask("tieout", folder, "--total", column), "totals", column))
	note("tieout of two", at(t, ask("tieout", folder, "--total", "other,"+column), "totals", column))
	note("rollup", at(t, ask("rollup", folder, "--by", "account", "--sum", column, "--anyway"), "total", column))
	note("rollup in little memory", at(t, ask("rollup", folder, "--by", "key", "--sum", column+",other", "--anyway",
		"--memory", "16MB", "--jobs", "1"), "total", column))
	note("doubles", at(t, ask("doubles", folder, "--total", column), "proof", "totals", column, "read"))
	note("align", at(t, ask("align", folder, "--key", "key", "--total", column, "--anyway"), "proof", "totals", column,
		"used"))
	note("prove", at(t, ask("prove", folder, "--equals", folder), "left", "totals", column))
	for _, c := range at(t, ask("gauge", folder), "columns").([]any) {
		if at(t, c, "column") == column {
			note("gauge", at(t, c, "sum"))
		}
	}
	out := t.TempDir()
	sources, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	sum := new(big.Rat)
	for i, source := range sources {
		cut := ask("split", filepath.Join(folder, source.Name()), "--rows", "7", "--total", column, "--out-dir",
			filepath.Join(out, fmt.Sprint(i)))
		for _, part := range at(t, cut, "parts").([]any) {
			sum.Add(sum, money(t, at(t, part, "totals", column).(string)))
		}
	}
	figures["split"] = sum
	for _, ending := range []string{"csv", "jsonl", "xlsx", "parquet"} {
		file := filepath.Join(out, "all."+ending)
		args := []string{"collate", folder, "--out", file, "--anyway"}
		if ending == "csv" || ending == "jsonl" {
			args = append(args, "--as", "amount=amount,other=amount")
		}
		ask(args...)
		note("collate ."+ending, at(t, asked(t, "tieout", file, "--total", column, "--json", "--quiet"), "totals",
			column))
		if ending == "csv" {
			figures["collate, added up here"] = columnSum(t, file, column)
		}
	}
	return figures
}

// columnSum adds up a column of a CSV file with the standard reader.
func columnSum(t *testing.T, file, column string) *big.Rat {
	t.Helper()
	records := readCSV(t, file, ',')
	at := slices.Index(records[0], column)
	sum := new(big.Rat)
	for _, record := range records[1:] {
		if record[at] != "" {
			sum.Add(sum, money(t, record[at]))
		}
	}
	return sum
}

// The same records come to the same figure, whichever command is asked, in whatever
// format they are and however they are written.
func TestAllCommandsAgree(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	for seed := range uint64(25) {
		r := rand.New(rand.NewPCG(seed, 2031))
		folder := t.TempDir()
		var amount, other int64
		for number := range 1 + r.IntN(4) {
			a, o := randomSource(t, r, folder, number)
			amount, other = amount+a, other+o
		}
		how, column, want := []string{"--jobs", fmt.Sprint(1 + r.IntN(3))}, "amount", big.NewRat(amount, 1000)
		switch r.IntN(4) {
		case 0:
			how, column, want = append(how, "--make", "net=amount * 2 - other"), "net", big.NewRat(2*amount-other, 1000)
		case 1:
			how, column = append(how, "--make", `part=posted == "" ? "" : amount`), "part"
		case 2:
			how, column, want = append(how, "--make", "amount=amount / 8"), "amount", big.NewRat(amount, 8000)
		}
		for command, got := range figuresByCommand(t, folder, column, how) {
			if got.Cmp(want) != 0 {
				t.Errorf("seed %d, %v: %s says %s, want %s", seed, how, command, got.FloatString(6),
					want.FloatString(6))
			}
		}
	}
}

// The same input gives the same document, however many goroutines read it. The large
// file is of many blocks, and has more of everything than is kept one by one.
func TestTheSameWithAnyNumberOfCores(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	r := rand.New(rand.NewPCG(13, 2031))
	folder, list := t.TempDir(), filepath.Join(t.TempDir(), "list.csv")
	large := func(rows, seed int) string {
		var b strings.Builder
		b.WriteString("doc;no;account;text;debit;credit\n")
		for i := range rows {
			amount := fmt.Sprintf("%d,%02d", 1+(i/2*seed)%9000, i/2%100)
			switch {
			case i%4001 == 4000:
				amount = "n/a"
			case i%5003 == 5002:
				amount = ""
			}
			side := [2]string{amount, ""}
			if i%2 == 1 {
				side = [2]string{"", amount}
			}
			no := i - i/11 // some numbers come again next to one another
			if i%170 == 0 {
				no += 3 // and some elsewhere
			}
			fmt.Fprintf(&b, "D%06d;N%07d;%04d;\"one, %d\";%s;%s\n", i/2, no, 4000+i%7, r.IntN(5000), side[0], side[1])
		}
		return b.String()
	}
	for name, text := range map[string]string{
		"kelso_2031-01.csv": large(110_000, 7), "kelso_2031-02.csv": large(5_000, 7),
		"dunmarrow_2031-01.csv": large(3_000, 3), "dunmarrow_2031-02.csv": large(3_000, 3),
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(list, []byte("account,name\n4000,Passes\n4001,Energy\n4002,Energy\n4001,Power\n"),
		0o644); err != nil {
		t.Fatal(err)
	}
	for _, command := range []string{
		"intake FOLDER", "gauge FOLDER --each", "doubles FOLDER --total debit --key doc,account",
		"doubles FOLDER/dunmarrow_2031-01.csv --near debit:0.01,text:same --total debit",
		"tieout FOLDER --total debit,credit --sequence no --balance debit=credit --balance-by doc --allowed " +
			"account=LIST#account --required text --hash-total account --distinct doc",
		"collate FOLDER --anyway --total debit", "rollup FOLDER --by account,text --sum debit,credit --anyway",
		"rollup FOLDER --by doc --sum debit --anyway --memory 16MB",
		"rollup FOLDER --by entity --across period --sum debit --share --anyway",
		"align FOLDER --key doc,account --anyway --where 'account == \"4000\"'",
		"attach FOLDER --from LIST --key account --bring name --anyway",
		"prove FOLDER/kelso_2031-01.csv --equals FOLDER/kelso_2031-02.csv",
		"reconcile FOLDER/kelso_2031-01.csv --against FOLDER/kelso_2031-02.csv --key doc,account --total debit " +
			"--compare text",
	} {
		name := strings.Fields(command)[0]
		var first string
		for _, jobs := range []int{1, 3} {
			args := splitWords(strings.NewReplacer("FOLDER", folder, "LIST", list).Replace(command))
			args = append(args, "--json", "--quiet", "--jobs", fmt.Sprint(jobs))
			if name == "rollup" || name == "tieout" {
				args = append(args, "--name", "{entity}_{period}")
			}
			var stdout, stderr bytes.Buffer
			if code := Run(context.Background(), args, strings.NewReader(""), &stdout, &stderr); code == ExitNotDone {
				t.Fatalf("%s: %s", command, stderr.String())
			}
			if jobs == 1 {
				first = stdout.String()
			} else if got := stdout.String(); got != first {
				t.Errorf("%s: with %d jobs it differs: %s", command, jobs, firstDifference(first, got))
			}
		}
	}
}

// firstDifference shows where two texts part.
func firstDifference(a, b string) string {
	i := 0
	for i < len(a) && i < len(b) && a[i] == b[i] {
		i++
	}
	from := max(0, i-150)
	return fmt.Sprintf("%q and %q", a[from:min(len(a), i+150)], b[from:min(len(b), i+150)])
}
