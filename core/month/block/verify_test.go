package block

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// What a block says of a file holds until a newer one names it again.
func TestVerify(t *testing.T) {
	folder, c := closed(t, "2031-01", "2031-02")
	root := filepath.Dir(folder)
	put := func(name, text string) {
		t.Helper()
		path := filepath.Join(root, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, period := range []string{"2031-01", "2031-02"} {
		put("results/"+period+"/summary.csv", "summary "+period)
		put("blocks/"+period+".csv", "figures")
		put("journals/a_"+period+".csv", "a "+period)
		put("journals/b_"+period+".csv", "b "+period)
	}
	put("control.csv", "control 2031-02") // which grows each month, and was sealed in each
	states := func(sources bool) string {
		t.Helper()
		all, err := c.Verify(t.Context(), Wanted{Root: root, Sources: sources, Jobs: 2})
		if err != nil {
			t.Fatal(err)
		}
		var lines []string
		for _, f := range all {
			if f.State != Untouched {
				lines = append(lines, fmt.Sprintf("%s %s %d %s %s", f.Role, f.Name, f.Number, f.Period, f.State))
			}
		}
		slices.Sort(lines)
		return fmt.Sprintf("%d: %s", len(all), strings.Join(lines, ", "))
	}
	if got := states(false); got != "4: " {
		t.Errorf("results stand as %s", got)
	}
	if got := states(true); got != "10: reference control.csv 1 2031-01 superseded" {
		t.Errorf("all stand as %s", got)
	}
	put("results/2031-01/summary.csv", "summary 2031-0l")
	put("journals/a_2031-02.csv", "a 2031-02\n")
	if err := os.Remove(filepath.Join(root, "journals", "b_2031-01.csv")); err != nil {
		t.Fatal(err)
	}
	if got := states(false); got != "4: result results/2031-01/summary.csv 1 2031-01 changed" {
		t.Errorf("results stand as %s", got)
	}
	want := "10: reference control.csv 1 2031-01 superseded, result results/2031-01/summary.csv 1 2031-01 changed, " +
		"source journals/a_2031-02.csv 2 2031-02 changed, source journals/b_2031-01.csv 1 2031-01 gone"
	if got := states(true); got != want {
		t.Errorf("all stand as %s, want %s", got, want)
	}
	// January is restated, with another result in the place of the one that was changed
	again := blockOf("2031-01")
	again.Restates, again.Reason = 1, "a late row"
	again.Results[0].SHA256 = SealOf([]byte("summary 2031-0l"))
	if _, err := c.Append(again); err != nil {
		t.Fatal(err)
	}
	if got := states(false); got != "6: figures blocks/2031-01.csv 1 2031-01 superseded, result "+
		"results/2031-01/summary.csv 1 2031-01 superseded" {
		t.Errorf("after a restatement results stand as %s", got)
	}
	// what lies in its place as it was sealed last is sealed; what has changed, and any other file, is not
	put("results/2031-02/summary.csv", "summary 2031-0z")
	for name, want := range map[string]string{
		"results/2031-01/summary.csv": "3 2031-01", "blocks/2031-02.csv": "2 2031-02",
		"blocks/0002-2031-02.json": "2 2031-02", "results/2031-02/summary.csv": "", "control.csv": "",
	} {
		sealed, err := c.Sealing(t.Context(), Wanted{Root: root}, filepath.Join(root, filepath.FromSlash(name)))
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if sealed != nil {
			got = fmt.Sprint(sealed.Number, " ", sealed.Period)
		}
		if got != want {
			t.Errorf("%s is sealed by %q, want %q", name, got, want)
		}
	}
}
