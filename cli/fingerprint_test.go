package cli

import (
	"encoding/json"
	"fmt"
	"math/big"
	"os"
	"path/filepath"
	"testing"

	"github.com/xuri/excelize/v2"
	"github.com/zeebo/xxh3"
)

// A fingerprint is made as docs/close.md says, so that another program can.
func TestFingerprintsAsDocumented(t *testing.T) {
	utf16 := func(text string) string {
		out := "\xff\xfe"
		for _, c := range text {
			out += string([]byte{byte(c), byte(c >> 8)})
		}
		return out
	}
	for _, c := range []struct {
		rule, read, name, text string
		records                []string
	}{
		{"text is as it was sent, the header is not part of it", "", "ash_2031-01.csv",
			"doc,amount,text\r\nA1,1.00,\"a, b\"\r\nA2,2.00,\"c\"\r\n", []string{`A1,1.00,"a, b"`, `A2,2.00,"c"`}},
		{"with its own delimiter", "decimal = \",\"\n", "ash_2031-01.csv", "doc;amount;text\nA1;1,00;x\n",
			[]string{"A1;1,00;x"}},
		{"in UTF-8", "", "ash_2031-01.csv", utf16("doc,amount,text\nA1,1.00,ä\n"), []string{"A1,1.00,ä"}},
		{"a line that could not be read is part of it", "", "ash_2031-01.csv",
			"doc,amount,text\nA1,1.00,x\nA2,2.00,x,y\n", []string{"A1,1.00,x", "A2,2.00,x,y"}},
		{"and so is what a condition leaves out", "where = 'doc != \"A2\"'\n", "ash_2031-01.csv",
			"doc,amount,text\nA1,1.00,x\nA2,2.00,y\n", []string{"A1,1.00,x", "A2,2.00,y"}},
		{"a total line is not", "", "ash_2031-01.csv", "doc,amount,text\nA1,1.00,x\nA2,2.00,y\nTotal,3.00,\n",
			[]string{"A1,1.00,x", "A2,2.00,y"}},
		{"JSON is fields", "", "ash_2031-01.jsonl", "{\"doc\": \"A1\", \"amount\": 1.00, \"text\": \"a, b\"}\n" +
			"{\"doc\": \"A2\", \"amount\": 2, \"text\": \"c \\\"d\\\"\"}\n", []string{`A1,1.00,"a, b"`, `A2,2,"c ""d"""`}},
		{"what a plan gives another form has its fields in that form",
			"rename = [\"note=text\"]\nmake = [\"half=amount / 2\"]\n",
			"ash_2031-01.csv", "doc,amount,note\n\"A1\",1.00,x\nA2,2.00,\"y, z\"\n", []string{"A1,1.00,x,0.5", `A2,2.00,"y, z",1`}},
		{"as amounts that are read", "as = [\"amount=amount\"]\nwhere = 'doc != \"A2\"'\n", "ash_2031-01.csv",
			"doc;amount;text\nA1;1.000,00;x\nA2;2,00;y, z\n", []string{"A1,1000.00,x", `A2,2.00,"y, z"`}},
		{"a condition gives none", "where = 'doc != \"A2\"'\n", "ash_2031-01.csv",
			"doc,amount,text\n\"A1\",1.00,x\n\"A2\",2.00,y\n", []string{`"A1",1.00,x`, `"A2",2.00,y`}},
		{"of a workbook it is the fields", "", "ash_2031-01.xlsx", "", []string{`A1,1.5,"a, b"`, "A2,2,c"}},
	} {
		plan := branchPlan[:len(branchPlan)-len("[tieout]\ntotal = \"amount\"\n")] + c.read +
			"[tieout]\ntotal = \"amount\"\n"
		dir, run := monthOf(t, plan+byEntity("sums", ""), map[string]string{"in/" + c.name: c.text})
		if filepath.Ext(c.name) == ".xlsx" {
			b := excelize.NewFile()
			for i, row := range [][]any{{"doc", "amount", "text"}, {"A1", 1.5, "a, b"}, {"A2", 2, "c"}} {
				if err := b.SetSheetRow("Sheet1", fmt.Sprint("A", i+1), &row); err != nil {
					t.Fatal(err)
				}
			}
			if err := b.SaveAs(filepath.Join(dir, "in", c.name)); err != nil {
				t.Fatal(err)
			}
		}
		run(ExitDone, quietly("2031-01", "--anyway", "--reason", "x")...)
		data, err := os.ReadFile(filepath.Join(dir, "blocks", "0001-2031-01.json"))
		var block struct {
			Sources []struct{ Fingerprint string }
		}
		if err == nil {
			err = json.Unmarshal(data, &block)
		}
		if err != nil || len(block.Sources) != 1 {
			t.Fatal(err, block)
		}
		sum := new(big.Int)
		for _, r := range c.records {
			print := xxh3.HashString128(r)
			high := new(big.Int).Lsh(new(big.Int).SetUint64(print.Hi), 64)
			sum.Add(sum, high.Add(high, new(big.Int).SetUint64(print.Lo)))
		}
		sum.And(sum, new(big.Int).Sub(new(big.Int).Lsh(big.NewInt(1), 128), big.NewInt(1)))
		if want := fmt.Sprintf("%032x", sum); block.Sources[0].Fingerprint != want {
			t.Errorf("%s: the fingerprint is %s, want %s", c.rule, block.Sources[0].Fingerprint, want)
		}
	}
}
