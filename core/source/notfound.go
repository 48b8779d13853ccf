package source

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/value/natural"
	"lastblock/core/value/nearest"
)

// NotFoundError is a path that names nothing.
type NotFoundError struct {
	Path string
	Near string   // what may have been meant, "" if nothing is near
	Have []string // what there is in the folder
}

func (e *NotFoundError) Error() string {
	text := e.Path + ": there is no such file or folder"
	if strings.ContainsAny(e.Path, "*?[{") {
		text = e.Path + ": no file matches"
	}
	if e.Near != "" {
		text += fmt.Sprintf("; did you mean %s?", e.Near)
	}
	const most = 10
	switch n := len(e.Have); {
	case n == 0:
		return text + "\nthere is nothing in that folder"
	case n > most:
		return fmt.Sprintf("%s\nthere is: %s, and %d more", text, strings.Join(e.Have[:most], ", "), n-most)
	}
	return text + "\nthere is: " + strings.Join(e.Have, ", ")
}

// notFound tells what there is where a path leads to nothing; split takes the
// path apart into the folder to look at and the name that is not there.
func notFound(p string, split func(string) (folder, name string)) error {
	missing := &NotFoundError{Path: p}
	folder, name := split(filepath.Clean(p))
	entries, err := os.ReadDir(filepath.Clean(folder))
	if err != nil {
		return fmt.Errorf("%s: there is no such file or folder, nor the folder it should be in", p)
	}
	for _, entry := range entries {
		if isHidden(entry.Name()) && !isHidden(name) {
			continue
		}
		missing.Have = append(missing.Have, entry.Name())
	}
	slices.SortFunc(missing.Have, natural.Compare)
	if near, ok := nearest.To(name, missing.Have); ok && name != "" {
		missing.Near = filepath.Join(folder, near)
	}
	return missing
}
