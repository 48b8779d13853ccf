package cli

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"lastblock/core/capability/split"
	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type splitFlags struct {
	reading reading
	writing writing
	rows    int
	parts   int
	by      string
	outDir  string
	totals  []string
}

// controlName is what the control sheet of parts is called.
const controlName = "control.csv"

func (a *app) split() *cobra.Command {
	f := new(splitFlags)
	cmd := &cobra.Command{
		Use:   "split FILE",
		Short: "Parts of a file, with a control sheet",
		Long: `Cuts a file into parts, each with the header: of so many rows, into so many
parts, or one for each value of a column. Beside them it writes control.csv with
the rows and totals of each part, which tieout --declared reads. Records of
delimited text stay as they were sent, all else is written as CSV. A record that
cannot be used is in its part, and in no total.`,
		Example: `  lastblock split lastblock-demo/journals/corvane_2031-01.csv --rows 5 --out-dir lastblock-demo/results/parts --replace
  lastblock tieout lastblock-demo/results/parts --declared lastblock-demo/results/parts/control.csv
  lastblock prove lastblock-demo/results/parts --skip control.csv --equals lastblock-demo/journals/corvane_2031-01.csv
  lastblock split lastblock-demo/journals/dunmarrow_2031-01.txt --by account --out-dir lastblock-demo/results/by-account --replace`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runSplit(cmd, f, paths) },
	}
	flags := cmd.Flags()
	flags.IntVar(&f.rows, "rows", 0, "how many rows a part has")
	flags.IntVar(&f.parts, "parts", 0, "into how many parts, as equal as can be")
	flags.StringVar(&f.by, "by", "", "a column: one part for each of its values")
	flags.StringVar(&f.outDir, "out-dir", "", "the folder for the parts; it is made if need be")
	flags.StringSliceVar(&f.totals, "total", nil, "columns to add up on the control sheet (those that hold amounts)")
	flags.BoolVar(&f.writing.replace, "replace", false, "overwrite existing files")
	f.reading.addTo(a, cmd)
	f.reading.completeColumns(cmd, false, "by", "total")
	return cmd
}

func (a *app) runSplit(cmd *cobra.Command, f *splitFlags, paths []string) error {
	ways := 0
	for _, flag := range []string{"rows", "parts"} {
		if n, _ := cmd.Flags().GetInt(flag); cmd.Flags().Changed(flag) {
			if ways++; n < 1 {
				return fmt.Errorf("--%s %d: at least 1 is needed", flag, n)
			}
		}
	}
	if f.by != "" {
		ways++
	}
	switch {
	case ways != 1:
		return errors.New("how is the file to be cut? Say one of --rows N, --parts N and --by COLUMN")
	case f.outDir == "":
		return errors.New("--out-dir: where do the parts go? Name a folder")
	}
	in, err := f.reading.openSources(cmd.Context(), paths)
	if err != nil {
		return err
	}
	if n := len(in.set.Sources); n > 1 {
		return fmt.Errorf("%s: one file is cut at a time, and this is %s", paths[0], show.Count(n, "source"))
	}
	control := filepath.Join(f.outDir, controlName)
	if err := in.keepApart(control); err != nil {
		return err
	}
	made := &partFiles{app: a, flags: f, in: in, taken: make(map[string]bool)}
	return a.cut(cmd.Context(), f, in, made, control)
}

// cut cuts the file and puts all in its place.
func (a *app) cut(ctx context.Context, f *splitFlags, in *input, made *partFiles, control string) error {
	sheet, err := a.outputs.Create(control, f.writing.replace)
	if err != nil {
		return err
	}
	stop := a.progress(&f.reading, in)
	r, err := split.Run(ctx, in.set, in.reading, split.Options{Rows: f.rows, Parts: f.parts, By: f.by, Totals: f.totals}, made)
	stop()
	if err != nil {
		return err
	}
	in.settle(r.Findings)
	names, err := made.place(r)
	if err != nil {
		return err
	}
	if err := writeControl(sheet, names, r); err != nil {
		return err
	}
	if err := a.outputs.Commit(sheet); err != nil {
		return err
	}
	others, err := made.others(names)
	if err != nil {
		return err
	}
	if f.reading.json {
		err = show.Document(a.stdout, splitDocument(in.set, control, names, others, r))
	} else {
		a.printSplit(f, in.set, names, others, r)
	}
	if err == nil && finding.Stops(r.Findings) {
		return errStop
	}
	return err
}

// partFiles are the files of the parts. Their names are settled when it is known
// how many there are.
type partFiles struct {
	app     *app
	flags   *splitFlags
	in      *input
	outputs []*show.Output
	taken   map[string]bool // names in small letters
}

// Part starts a part under a name that nothing else has yet.
func (p *partFiles) Part(number int, _ string) (io.WriteCloser, error) {
	output, err := p.app.outputs.Create(filepath.Join(p.flags.outDir, fmt.Sprintf("%s-%d", p.stem(), number)), true)
	if err != nil {
		return nil, err
	}
	p.outputs = append(p.outputs, output)
	return &partFile{output, p.flags.by != ""}, nil
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
	return safeName(source.Stem(filepath.Base(p.in.set.Sources[0].Name)))
}

// ending is that of the parts.
func (p *partFiles) ending() string {
	switch ending := strings.ToLower(filepath.Ext(p.in.set.Sources[0].Name)); ending {
	case ".csv", ".tsv", ".txt", ".psv", ".tab", ".dat", ".asc":
		if p.in.set.IsVerbatim(0) {
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
		if p.flags.by != "" {
			name = p.stem() + "-" + safeName(r.Parts[i].Value)
		}
		names[i] = p.free(name) + p.ending()
	}
	for _, name := range names {
		path := filepath.Join(p.flags.outDir, name)
		if p.in.isSource(path) {
			return nil, fmt.Errorf("%s is the file that is cut; write the parts to another folder", path)
		}
		if _, err := os.Lstat(path); err == nil && !p.flags.writing.replace {
			return nil, &show.ExistsError{Path: path}
		}
	}
	for i, name := range names {
		output := p.outputs[r.Parts[i].Number]
		output.MoveTo(filepath.Join(p.flags.outDir, name))
		p.app.outputs.Ready(output)
	}
	return names, nil
}

// others are files that look like parts and are none of these: those of an earlier
// cut into more of them.
func (p *partFiles) others(names []string) ([]string, error) {
	entries, err := os.ReadDir(p.flags.outDir)
	others := []string{}
	for _, e := range entries {
		name := e.Name()
		if strings.HasPrefix(name, p.stem()+"-") && strings.HasSuffix(name, p.ending()) && !slices.Contains(names, name) && !p.in.isSource(filepath.Join(p.flags.outDir, name)) {
			others = append(others, name)
		}
	}
	return others, err
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

// writeControl writes the control sheet.
func writeControl(w io.Writer, names []string, r *split.Result) error {
	lines := csv.NewWriter(w)
	err := lines.Write(append([]string{"source", "rows"}, r.Columns...))
	for i, part := range r.Parts {
		cells := []string{names[i], fmt.Sprint(part.Rows)}
		for _, total := range part.Totals {
			cells = append(cells, total.String())
		}
		err = errors.Join(err, lines.Write(cells))
	}
	lines.Flush()
	return errors.Join(err, lines.Error())
}

func splitDocument(set *source.Set, control string, names, others []string, r *split.Result) show.Object {
	doc := show.NewDocument("split")
	parts := []show.Object{}
	rows := 0
	for i, part := range r.Parts {
		rows += part.Rows
		parts = append(parts, show.Object{
			{Name: "source", Value: names[i]}, {Name: "rows", Value: part.Rows}, {Name: "totals", Value: show.Amounts(r.Columns, part.Totals)},
		})
	}
	doc.Add("parts", parts)
	doc.Add("rows", rows)
	doc.Add("control", control)
	doc.Add("others", others)
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

func (a *app) printSplit(f *splitFlags, set *source.Set, names, others []string, r *split.Result) {
	t := show.Table{Columns: []show.Column{{Name: "part", Key: true}, {Name: "rows", Right: true}}}
	for _, column := range r.Columns {
		t.Columns = append(t.Columns, show.Column{Name: column, Right: true})
	}
	rows := 0
	for i, part := range r.Parts {
		rows += part.Rows
		cells := []string{names[i], show.Number(part.Rows)}
		for _, total := range part.Totals {
			cells = append(cells, total.Money())
		}
		t.Add(cells...)
	}
	all := []string{"total of " + show.Count(len(r.Parts), "part"), show.Number(rows)}
	for _, total := range r.Proof.Totals {
		all = append(all, total.Used.Money())
	}
	t.AddStrong(all...)
	t.Print(a.stdout)
	fmt.Fprintf(a.stdout, "\nwritten to %s, with %s\n", f.outDir, controlName)
	if n := len(others); n > 0 {
		text := others[0]
		if n > 1 {
			text += fmt.Sprintf(" and %s more", show.Number(n-1))
		}
		fmt.Fprintf(a.stdout, "also there, and no part of this: %s; take it away, or the parts are read with it\n", text)
	}
	a.printPassedOver(set)
	show.Findings(a.stdout, r.Findings)
	show.Proof(a.stdout, &r.Proof)
}
