package moved

import "testing"

func TestBelow(t *testing.T) {
	for _, c := range []struct {
		folder, path, rest string
		ok                 bool
	}{
		{"journals", "journals/a.csv", "a.csv", true},
		{"journals/", "./journals/2031/a.csv", "2031/a.csv", true},
		{"journals", "journals", "", true},
		{"journals", "journals2/a.csv", "", false},
		{"journals", "Journals/a.csv", "", false},
		{"journals/a.csv", "journals", "", false},
		{"../share", "../share/a", "a", true},
		{`D:\month`, "d:/month/a.csv", "a.csv", true},
		{`D:\month`, "d:/Month/a.csv", "", false},
		{`D:\`, `D:\a\b`, "a/b", true},
		{"D:", "d:/a", "a", true},
		{`\\server\share`, "//SERVER/Share/a", "a", true},
		{`\\server\share\in`, `\\server\share\in\a.csv`, "a.csv", true},
		{`\\server\share`, `\\server\shared\a`, "", false},
		{"/", "/a", "a", true},
	} {
		if rest, ok := Below(c.folder, c.path); rest != c.rest || ok != c.ok {
			t.Errorf("%s below %s is %q, %v, want %q, %v", c.path, c.folder, rest, ok, c.rest, c.ok)
		}
	}
}

func TestJoin(t *testing.T) {
	for _, c := range [][3]string{
		{`E:\month`, "in/a.csv", `E:\month\in\a.csv`}, {"E:/month", "in/a.csv", "E:/month/in/a.csv"},
		{`\\server\new`, "a.csv", `\\server\new\a.csv`}, {"archive", "", "archive"}, {"archive", "a", "archive/a"},
		{`E:\`, "a", `E:\a`}, {"/", "a", "/a"},
	} {
		if got := Join(c[0], c[1]); got != c[2] {
			t.Errorf("%s behind %s is %s, want %s", c[1], c[0], got, c[2])
		}
	}
}

// What was moved several times, there and back, is called as it was first, and found where it is last.
func TestMoves(t *testing.T) {
	m := Moves{{"journals", "a"}, {"a", "journals"}, {"journals", "b/in"}, {`D:\x`, `E:\y`}}
	for was, is := range map[string]string{"journals/c.csv": "b/in/c.csv", "other/c.csv": "other/c.csv",
		"D:/x/c.csv": "E:/y/c.csv"} {
		if got := m.Is(was); got != is {
			t.Errorf("%s is %s, want %s", was, got, is)
		}
		if got := m.Was(is); got != was {
			t.Errorf("%s was %s, want %s", is, got, was)
		}
	}
}
