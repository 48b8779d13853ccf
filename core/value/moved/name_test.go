package moved

import (
	"path/filepath"
	"testing"
)

// A file has one name from the folder of a plan, however both paths are written.
func TestNameFromThePlan(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, c := range []struct{ folder, file, want string }{
		{".", "a.csv", "a.csv"}, {"", "a.csv", "a.csv"}, {"month", "month/in/a.csv", "in/a.csv"},
		{"month/", "./month//in/../a.csv", "a.csv"}, {"month/plan", "month/in/a.csv", "../in/a.csv"},
		{"month", "other/a.csv", "../other/a.csv"}, {"month", "month", "."},
	} {
		whole := func(p string) string {
			full, err := filepath.Abs(p)
			if err != nil {
				t.Fatal(err)
			}
			return full
		}
		for _, paths := range [][2]string{
			{c.folder, c.file}, {whole(c.folder), c.file}, {c.folder, whole(c.file)}, {whole(c.folder), whole(c.file)},
		} {
			if got, err := Moves(nil).Name(paths[0], paths[1]); got != c.want || err != nil {
				t.Errorf("%s from %s is %q, want %q, %v", paths[1], paths[0], got, c.want, err)
			}
		}
		if got, err := (Moves{{Old: "was", New: c.want}}).Name(c.folder, c.file); got != "was" || err != nil {
			t.Errorf("%s from %s is %q after a move, want was, %v", c.file, c.folder, got, err)
		}
	}
}
