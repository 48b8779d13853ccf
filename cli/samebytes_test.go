package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Whatever is written is the same bytes however often it is made, and on however many cores.
func TestTheSameInputIsTheSameBytes(t *testing.T) {
	dir, run := monthOf(t, "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n"+
		"total = [\"v\"]\n[[rollup]]\nby = [\"account\"]\nsum = [\"v\"]\nacross = \"entity\"\n[[overlay]]\n"+
		"name = \"budget\"\npaths = [\"forms\"]\ncontributions = \"results/{period}/from.xlsx\"\n[report]\n", nil)
	files := make(map[string]string)
	for e := range 9 {
		text := "account,text,v\n"
		for i := range 300 {
			text += fmt.Sprintf("%d,Day pass %d,%d.25\n", 4000+i%17, i*e, i+e)
		}
		files[fmt.Sprintf("in/u%d_2031-01.csv", e)] = text
		files[fmt.Sprintf("forms/u%d_2031-01.csv", e)] = fmt.Sprintf("Line,Q1,Q2\nWages,%d,2\nRent,3,%d\n", e, e)
	}
	writeFiles(t, dir, files)
	run(ExitDone, quietly("2031-01")...)
	commands := map[string][]string{
		"collate":  {"collate", "in", "--name", "{entity}_{period}"},
		"rollup":   {"rollup", "in", "--name", "{entity}_{period}", "--by", "account,text", "--sum", "v"},
		"overlay":  {"overlay", "forms"},
		"reported": {"report", "--plan", "lastblock.toml", "--block", "1"},
	}
	endings := map[string]string{"collate": "csv json jsonl xlsx parquet csv.gz csv.zst", "rollup": "csv xlsx json",
		"overlay": "csv xlsx", "reported": "html xlsx"}
	for name, args := range commands {
		for ending := range strings.FieldsSeq(endings[name]) {
			out, first := filepath.Join(dir, "made."+ending), ""
			for i := range 10 {
				more := []string{"--out", out, "--replace"}
				if name != "reported" {
					more = append(more, "--jobs", fmt.Sprint(1+i%4))
				}
				stdout, stderr, code := runProgram(t, dir, "", append(args[:len(args):len(args)], more...)...)
				if code != ExitDone {
					t.Fatalf("%s into %s ends with %d: %s%s", name, ending, code, stdout, stderr)
				}
				data, err := os.ReadFile(out)
				if err != nil {
					t.Fatal(err)
				}
				if i == 0 {
					first = string(data)
				} else if first != string(data) {
					t.Errorf("%s into %s is other bytes the %d. time", name, ending, i+1)
					break
				}
			}
		}
	}
}
