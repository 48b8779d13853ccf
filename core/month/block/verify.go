package block

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// State is how a file stands to what a block has sealed.
type State string

// The states.
const (
	Untouched  State = "untouched"
	Changed    State = "changed"
	Gone       State = "gone"
	Superseded State = "superseded" // a newer block names the file again
)

// Role is what a file is to a block.
type Role string

// The roles.
const (
	OfResult    Role = "result"
	OfSource    Role = "source"
	OfReference Role = "reference"
	OfFigures   Role = "figures"
	OfRecords   Role = "records"
)

// Sealed is a file that a block has sealed, and how it stands now.
type Sealed struct {
	File
	Role   Role
	Number int // of the block
	Period string
	State  State
}

// Verify holds the files that blocks have sealed against what they are now. What a block says of a file
// holds until a newer block names it again. root is the folder of the plan; sources and references are looked
// at where that is asked for. Entries of archives and sheets are parts of their file, which blocks name.
// The error is what reading a file returned.
func (c *Chain) Verify(root string, sources bool) (all []Sealed, err error) {
	newest := make(map[string]int) // the block that names a file last
	files := c.sealed(root, sources)
	for i := range files {
		newest[files[i].Name] = max(newest[files[i].Name], files[i].Number)
	}
	hashes := make(map[string]string)
	for i := range files {
		f := &files[i]
		if newest[f.Name] > f.Number {
			f.State = Superseded
			continue
		}
		hash, known := hashes[f.Name]
		if !known {
			if hash, err = hashOf(filepath.Join(root, filepath.FromSlash(f.Name))); err != nil {
				return nil, err
			}
			hashes[f.Name] = hash
		}
		switch hash {
		case f.SHA256:
			f.State = Untouched
		case "":
			f.State = Gone
		default:
			f.State = Changed
		}
	}
	return files, nil
}

// sealed are the files that blocks name, in the order of the blocks, each once a block.
func (c *Chain) sealed(root string, sources bool) (all []Sealed) {
	for i := range c.Entries {
		e := &c.Entries[i]
		named := make(map[string]bool)
		add := func(role Role, f File) {
			if f.Name != "" && f.SHA256 != "" && !named[f.Name] {
				named[f.Name] = true
				all = append(all, Sealed{File: f, Role: role, Number: e.Number, Period: e.Period})
			}
		}
		for _, r := range e.Results {
			add(OfResult, r.File)
		}
		add(OfFigures, c.beside(root, e.Figures))
		if e.Records != nil {
			add(OfRecords, c.beside(root, *e.Records))
		}
		if !sources {
			continue
		}
		for _, s := range e.Sources {
			add(OfSource, s.File)
		}
		for _, r := range e.References {
			add(OfReference, r)
		}
	}
	return all
}

// beside is a file that lies with the blocks, by its name from the plan.
func (c *Chain) beside(root string, f File) File {
	if f.Name == "" {
		return f
	}
	if below, err := filepath.Rel(root, filepath.Join(c.Folder, f.Name)); err == nil {
		f.Name = filepath.ToSlash(below)
	}
	return f
}

// hashOf is the SHA-256 of a file, "" for one that is not there.
func hashOf(path string) (string, error) {
	file, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	defer file.Close()
	hash := sha256.New()
	if _, err := io.Copy(hash, file); err != nil {
		return "", err
	}
	return hex.EncodeToString(hash.Sum(nil)), nil
}
