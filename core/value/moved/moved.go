// Package moved follows files whose folder or drive was renamed, so that they go on to be called as they were
// before. It compares paths and opens no file: those of a drive or a share are understood on every system.
package moved

import (
	"path"
	"path/filepath"
	"strings"
)

// Move says where what was below a path is now. Both are from the folder of the plan, or whole, with slashes.
type Move struct{ Old, New string }

// Moves are moves in the order in which they were made.
type Moves []Move

// Was is what a path was before all moves.
func (m Moves) Was(p string) string {
	p = Slashed(p)
	for i := len(m) - 1; i >= 0; i-- {
		if rest, ok := Below(m[i].New, p); ok {
			p = join(m[i].Old, rest)
		}
	}
	return p
}

// Is is where a path is after all moves.
func (m Moves) Is(p string) string {
	p = Slashed(p)
	for _, move := range m {
		if rest, ok := Below(move.Old, p); ok {
			p = join(move.New, rest)
		}
	}
	return p
}

// Name is what a file is called from the folder of a plan, with slashes on every system: as it was before all moves.
// One that lies on another drive is called by its whole path.
func (m Moves) Name(folder, file string) (string, error) {
	if filepath.IsLocal(folder) && filepath.IsLocal(file) { // so it is the same wherever the working directory is
		if below, err := filepath.Rel(folder, file); err == nil {
			return m.Was(filepath.ToSlash(below)), nil
		}
	}
	root, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	full, err := filepath.Abs(file)
	if err != nil {
		return "", err
	}
	if below, err := filepath.Rel(root, full); err == nil {
		full = below
	}
	return m.Was(filepath.ToSlash(full)), nil
}

// Path is where the file is now that has a name from the folder of a plan.
func (m Moves) Path(folder, name string) string {
	file := filepath.FromSlash(m.Is(name))
	if filepath.IsAbs(file) {
		return file
	}
	return filepath.Join(folder, file)
}

// Below is what stands behind a folder in a path that is below it, or the folder itself; ok is false of others.
// Names of drives and shares are the same in capitals and small letters.
func Below(folder, p string) (rest string, ok bool) {
	folder, p = Slashed(folder), Slashed(p)
	if len(p) < len(folder) {
		return "", false
	}
	same := p[:len(folder)] == folder
	if n := volume(folder); n > 0 && !same {
		same = strings.EqualFold(p[:n], folder[:n]) && p[n:len(folder)] == folder[n:]
	}
	rest = p[len(folder):]
	if !same || rest != "" && rest[0] != '/' && !strings.HasSuffix(folder, "/") {
		return "", false
	}
	return strings.TrimPrefix(rest, "/"), true
}

// Join puts what is below a folder behind another one, written as that is.
func Join(folder, rest string) string {
	if strings.Contains(folder, `\`) && volume(Slashed(folder)) > 0 {
		return strings.ReplaceAll(join(folder, rest), "/", `\`)
	}
	return join(folder, rest)
}

func join(folder, rest string) string {
	folder = Slashed(folder)
	switch {
	case rest == "":
		return folder
	case strings.HasSuffix(folder, "/"):
		return folder + rest
	}
	return folder + "/" + rest
}

// Slashed writes a path with slashes, without what leads nowhere: D:\a\.\b as D:/a/b, and \\server\share\a as
// //server/share/a. A backslash in any other path is part of a name.
func Slashed(p string) string {
	if n := len(p); n >= 2 && p[1] == ':' && isLetter(p[0]) || strings.HasPrefix(p, `\\`) {
		p = strings.ReplaceAll(p, `\`, "/")
	}
	isShare := strings.HasPrefix(p, "//")
	if p = path.Clean(p); isShare {
		p = "/" + p
	}
	if len(p) == 2 && p[1] == ':' {
		p += "/"
	}
	return p
}

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

// HasVolume tells whether a path names a drive or a share.
func HasVolume(p string) bool { return p != "" && volume(Slashed(p)) > 0 }

// volume is how many bytes of a path name a drive, or a server and its share.
func volume(p string) int {
	if len(p) >= 2 && p[1] == ':' && isLetter(p[0]) {
		return 2
	}
	if !strings.HasPrefix(p, "//") {
		return 0
	}
	parts := strings.SplitN(p[2:], "/", 3)
	if len(parts) < 2 {
		return len(p)
	}
	return 2 + len(parts[0]) + 1 + len(parts[1])
}
