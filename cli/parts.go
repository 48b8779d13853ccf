package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"lastblock/core/capability/split"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
)

// partFiles are the files of the parts. Their names are settled when it is known
// how many there are.
type partFiles struct {
	app     *app
	task    *month.Split
	set     *source.Set
	outputs []*show.Output
	taken   map[string]bool // names in small letters
}

// Part starts a part under a name that nothing else has yet.
func (p *partFiles) Part(number int, _ string) (io.WriteCloser, error) {
	output, err := p.app.outputs.Create(filepath.Join(p.task.OutDir, fmt.Sprintf("%s-%d", p.stem(), number)), true)
	if err != nil {
		return nil, err
	}
	p.outputs = append(p.outputs, output)
	return &partFile{output, p.task.By != ""}, nil
}

// partFile is one of them. Where one is written for each value, none stays open.
type partFile struct {
	*show.Output
	many bool
}

func (p *partFile) Write(data []byte) (int, error) {
	n, err := p.Output.Write(data)
	if err == nil && p.many {
		err = p.Rest()
	}
	return n, err
}

func (p *partFile) Close() error { return p.Rest() }

// stem is the name of the file that is cut, without what is special in names.
func (p *partFiles) stem() string {
	return safeName(source.Stem(filepath.Base(p.set.Sources[0].Name)))
}

// ending is that of the parts.
func (p *partFiles) ending() string {
	switch ending := strings.ToLower(filepath.Ext(p.set.Sources[0].Name)); ending {
	case ".csv", ".tsv", ".txt", ".psv", ".tab", ".dat", ".asc":
		if p.set.IsVerbatim(0) {
			return ending
		}
	}
	return ".csv"
}

// place gives the parts their names, and refuses where one is there already.
func (p *partFiles) place(r *split.Result) ([]string, error) {
	names := make([]string, len(r.Parts))
	digits := max(3, len(fmt.Sprint(len(names))))
	for i := range names {
		name := fmt.Sprintf("%s-%0*d", p.stem(), digits, i+1)
		if p.task.By != "" {
			name = p.stem() + "-" + safeName(r.Parts[i].Value)
		}
		names[i] = p.free(name) + p.ending()
	}
	for _, name := range names {
		path := filepath.Join(p.task.OutDir, name)
		if p.set.IsSource(path) {
			return nil, fmt.Errorf("%s is the file that is cut; write the parts to another folder", path)
		}
		if _, err := os.Lstat(path); err == nil && !p.task.Replace {
			return nil, &show.ExistsError{Path: path}
		}
		if err := p.app.mayReplace(&p.task.Writing, path); err != nil {
			return nil, err
		}
	}
	for i, name := range names {
		output := p.outputs[r.Parts[i].Number]
		output.MoveTo(filepath.Join(p.task.OutDir, name))
		p.app.outputs.Ready(output)
	}
	return names, nil
}

// others are files that look like parts and are none of these: those of an earlier
// cut into more of them. Where the folder cannot be read, none are told.
func (p *partFiles) others(names []string) []string {
	entries, err := os.ReadDir(p.task.OutDir)
	if err != nil {
		return nil
	}
	others := []string{}
	for _, e := range entries {
		name := e.Name()
		if strings.HasPrefix(name, p.stem()+"-") && strings.HasSuffix(name, p.ending()) &&
			!slices.Contains(names, name) && !p.set.IsSource(filepath.Join(p.task.OutDir, name)) {
			others = append(others, name)
		}
	}
	return others
}

// free returns a name that no other part has, whether or not a system tells
// capital letters from small ones.
func (p *partFiles) free(name string) string {
	free := name
	for n := 2; p.taken[strings.ToLower(free)]; n++ {
		free = fmt.Sprintf("%s_%d", name, n)
	}
	p.taken[strings.ToLower(free)] = true
	return free
}

// safeName makes a name of a value that every system takes: letters, digits and
// a few signs, and not too many of them.
func safeName(value string) string {
	const most = 80
	name := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune("-_.+", r) {
			return r
		}
		return '_'
	}, strings.ToValidUTF8(value, "_"))
	name = strings.Trim(name, ".")
	for len(name) > most {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	if strings.TrimSpace(value) == "" || name == "" {
		return "blank"
	}
	return name
}
