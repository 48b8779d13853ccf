package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/capability/tieout"
	"lastblock/core/source"

	"github.com/spf13/cobra"
)

// declared are the flags about what the branches declared.
type declared struct {
	file          string
	renamed       []string // columns of the control sheet
	labels        []string
	tolerance     []string
	toleranceRows int
}

func (d *declared) addTo(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&d.file, "declared", "", "what the branches declared: the control sheet, or as '{source}.ctl' a file beside each source")
	isFile(cmd, "declared")
	f.StringSliceVar(&d.renamed, "declared-rename", nil, "give columns of the control sheet the names that are read, e.g. 'Number of entries=rows,Sum debit=debit'")
	f.StringSliceVar(&d.labels, "declared-label", nil, "labels used on covering sheets and in files beside a source, e.g. 'Number of lines=rows,Sum debit=debit'")
	f.StringSliceVar(&d.tolerance, "tolerance", nil, "by how much totals may differ from what is declared, e.g. debit=0.05")
	f.IntVar(&d.toleranceRows, "tolerance-rows", 0, "by how many rows counts may differ from what is declared")
}

// ask puts what was declared into the options of a tie-out.
func (d *declared) ask(ctx context.Context, r *reading, in *input, options *tieout.Options) (err error) {
	if options.Tolerance, err = tolerances(d.tolerance); err != nil {
		return err
	}
	if options.ToleranceRows = d.toleranceRows; d.toleranceRows < 0 {
		return fmt.Errorf("--tolerance-rows %d: a number of rows is needed", d.toleranceRows)
	}
	for _, text := range d.labels {
		label, figure, ok := cutPair(text)
		if !ok {
			return fmt.Errorf("--declared-label: %q is not of the form 'Number of lines=rows'", text)
		}
		options.Labels = append(options.Labels, tieout.Label{Text: label, Figure: figure})
	}
	beside := strings.Contains(d.file, "{")
	if len(d.labels) > 0 && !beside && r.manner.cover == "" && !slices.ContainsFunc(r.shapes, func(s source.NamedManner) bool { return s.Choice.Cover != "" }) {
		return errors.New("--declared-label: it says what a covering sheet or a file beside a source calls its figures; add --declared-sheet NAME, or --declared '{source}.ctl'")
	}
	switch {
	case len(d.renamed) > 0 && (beside || d.file == ""):
		return errors.New("--declared-rename: it speaks of the columns of a control sheet, and --declared names none; for figures beside or in a source there is --declared-label")
	case beside:
		if err := d.besideSources(r, in, options); err != nil {
			return err
		}
	case d.file != "":
		if options.Declared, err = in.readRenamed(ctx, d.file, "declared-rename", d.renamed); err != nil {
			return err
		}
		in.leaveOut("the control sheet", d.file)
	}
	return d.covers(in, options)
}

// covers reads the covering sheets of workbooks.
func (d *declared) covers(in *input, options *tieout.Options) error {
	of := make(map[string]string) // the source of a covering sheet
	for i := range in.set.Sources {
		grid, ok, err := in.set.ReadCover(i, in.reading.Memory)
		if err != nil {
			return err
		}
		if in.set.CoverName(i) != "" {
			options.CoveredBy = fmt.Sprintf("sheet %q", in.set.CoverName(i))
		}
		if !ok {
			continue
		}
		name := in.set.Sources[i].Name
		if other, twice := of[grid.Name]; twice {
			return fmt.Errorf("--declared-sheet: %s declares %s and %s together; read one of them with --sheet", grid.Name, other, name)
		}
		of[grid.Name] = name
		options.Covers = append(options.Covers, tieout.Cover{Source: i, Grid: grid})
	}
	return nil
}

var patternWord = regexp.MustCompile(`\{([^{}]*)\}`)

// besideSources reads a file beside each source.
func (d *declared) besideSources(r *reading, in *input, options *tieout.Options) error {
	pattern := d.file
	options.CoveredBy = "file " + filepath.Base(pattern)
	if _, planned := r.planned["declared"]; planned {
		// The file lies beside its source, not beside the plan.
		if folder := r.beside(".")[0]; filepath.IsLocal(pattern) || strings.HasPrefix(pattern, folder) {
			pattern, _ = filepath.Rel(folder, pattern)
		}
	}
	known := append([]string{"source"}, in.set.Words()...)
	for _, word := range patternWord.FindAllStringSubmatch(pattern, -1) {
		if !slices.Contains(known, word[1]) {
			return fmt.Errorf("--declared %q: {%s} is not known; there is: {%s}", d.file, word[1], strings.Join(known, "}, {"))
		}
	}
	paths := make([]string, len(in.set.Sources)) // of the file beside each source
	exists := make(map[string]bool)
	folders := make(map[string]bool)
	for i := range in.set.Sources {
		src := &in.set.Sources[i]
		if src.Path == "-" {
			continue
		}
		name := path.Base(filepath.ToSlash(src.Path))
		if src.Entry() != "" {
			name = path.Base(src.Entry())
		}
		told := patternWord.ReplaceAllStringFunc(pattern, func(word string) string {
			if word = word[1 : len(word)-1]; word == "source" {
				return source.Stem(name)
			}
			return in.set.Word(i, word)
		})
		paths[i] = filepath.Join(filepath.Dir(src.Path), told)
		folders[filepath.Dir(src.Path)] = true
		switch _, err := os.Stat(paths[i]); {
		case err == nil:
			exists[paths[i]] = true
		case !errors.Is(err, fs.ErrNotExist):
			return err
		}
	}
	covers := make(map[string]string) // path of a file → source it is for
	for i := range in.set.Sources {
		if exists[paths[i]] && !exists[filepath.Clean(in.set.Sources[i].Path)] {
			covers[in.set.Sources[i].Name] = paths[i]
		}
	}
	strays := d.strays(in, pattern, folders, exists)
	in.leaveOut("declares what is in a source", slices.Concat(keysOf(exists), strays)...)
	for i := range in.set.Sources {
		file, ok := covers[in.set.Sources[i].Name]
		if !ok {
			continue
		}
		in.app.isReading(nil, file)
		grid, err := source.ReadGrid(file)
		if err != nil {
			return err
		}
		options.Covers = append(options.Covers, tieout.Cover{Source: i, Grid: grid})
	}
	options.Strays = strays
	return nil
}

func keysOf(set map[string]bool) []string {
	var keys []string
	for key := range set {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	return keys
}

// strays are files that match the pattern and declare a source that is not in
// their folder. They can be told where folders were named, and not some files
// of them, and where the pattern has the name of the source.
func (d *declared) strays(in *input, pattern string, folders, known map[string]bool) []string {
	before, behind, ok := strings.Cut(pattern, "{source}")
	if !ok || in.isNamed() || patternWord.MatchString(before+behind) {
		return nil
	}
	var strays []string
	for folder := range folders {
		found, err := filepath.Glob(filepath.Join(folder, before+"*"+behind))
		entries, unread := os.ReadDir(folder)
		if err != nil || unread != nil {
			continue // a pattern with signs that no file's name has; a folder that is gone is told by who reads it
		}
		for _, file := range found {
			stem := strings.TrimSuffix(strings.TrimPrefix(filepath.ToSlash(file), filepath.ToSlash(filepath.Join(folder, before))), behind)
			if stem = strings.TrimPrefix(stem, "/"); !known[filepath.Clean(file)] && !hasSource(entries, stem, filepath.Base(file)) {
				strays = append(strays, file)
			}
		}
	}
	slices.Sort(strays)
	return strays
}

// hasSource tells whether there is a file of a name, whatever its ending, that is
// not the one which declares it.
func hasSource(entries []fs.DirEntry, stem, declares string) bool {
	return slices.ContainsFunc(entries, func(e fs.DirEntry) bool { return source.Stem(e.Name()) == stem && e.Name() != declares })
}
