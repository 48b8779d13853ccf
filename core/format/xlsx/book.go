// Package xlsx reads workbooks of ISO/IEC 29500 (.xlsx, .xlsm): sheets as
// streams of rows, whatever their size. Numbers keep the digits that are stored
// and become dates or padded codes where their number format shows them as
// such, which is what their sender sees.
package xlsx

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"iter"
	"math"
	"path"
	"strconv"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/sheet"
)

// Book is an open workbook. Its sheets may be read at the same time.
type Book struct {
	files   map[string]*zip.File
	names   []string
	sheets  map[string]sheetPart
	defined []definedName
	from    epoch
	styles  []format // by the number of the style
	strings *sharedStrings
	memory  int64
	limit   int // bytes of a cell or a row
}

type sheetPart struct {
	path   string
	hidden bool
}

type definedName struct{ name, text string }

// mostUnpacked is what the small parts of a workbook, which are held in memory,
// may unpack to.
const mostUnpacked = 64 << 20

// Open opens a workbook. Shared texts are held in up to memory bytes, and
// beyond that in a temporary file; Close gives it back. No cell and no row may be longer
// than limit bytes.
func Open(file io.ReaderAt, size, memory int64, limit int) (*Book, error) {
	archive, err := decode.OpenArchive(file, size, decode.MostParts)
	if err != nil {
		return nil, ErrTruncated
	}
	if err := decode.CheckArchive(archive.File, size); err != nil {
		return nil, err
	}
	b := &Book{files: make(map[string]*zip.File), sheets: make(map[string]sheetPart), memory: memory, limit: limit}
	for _, f := range archive.File {
		b.files[strings.TrimPrefix(strings.ReplaceAll(f.Name, `\`, "/"), "/")] = f
	}
	if err := b.readStructure(); err != nil {
		return nil, err
	}
	if len(b.names) == 0 {
		return nil, errors.New("this workbook has no sheet of cells")
	}
	return b, nil
}

// ErrTruncated is a workbook whose end is missing.
var ErrTruncated = errors.New("this workbook is damaged or was cut off on its way; ask for it again")

// Close gives back what the workbook holds.
func (b *Book) Close() {
	if b.strings != nil {
		b.strings.close()
	}
}

// Sheets goes through the names of the sheets in their order.
func (b *Book) Sheets() iter.Seq2[string, error] {
	return func(yield func(string, error) bool) {
		for _, name := range b.names {
			if !yield(name, nil) {
				return
			}
		}
	}
}

// InOnePart is false: each sheet has a part of its own.
func (b *Book) InOnePart() bool { return false }

// HoldsData tells whether any cell of a sheet holds something.
func (b *Book) HoldsData(name string) (bool, error) {
	r, err := b.open(b.sheets[name].path)
	if err != nil {
		return false, err
	}
	defer r.Close()
	scanner := b.newScanner(r)
	for {
		kind, err := scanner.Next()
		if errors.Is(err, io.EOF) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		if name := scanner.Name(); kind == sheet.Start && (string(name) == "v" || string(name) == "is") {
			return true, nil
		}
	}
}

// Is tells whether an archive with these files is a workbook of this kind.
func Is(archive *zip.Reader) bool {
	for _, f := range archive.File {
		if f.Name == "[Content_Types].xml" || f.Name == "xl/workbook.xml" {
			return true
		}
	}
	return false
}

// open opens a part.
func (b *Book) open(name string) (io.ReadCloser, error) {
	f := b.files[strings.TrimPrefix(name, "/")]
	if f == nil {
		return nil, fmt.Errorf("this workbook lacks its part %s; it is damaged", name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, ErrTruncated
	}
	return decode.Limit(decode.Part(r, f), decode.Zip, int64(f.CompressedSize64)), nil
}

// decode reads a small part as XML.
func (b *Book) decode(name string, into any) error {
	r, err := b.open(name)
	if err != nil {
		return err
	}
	defer r.Close()
	if err := xml.NewDecoder(io.LimitReader(r, mostUnpacked)).Decode(into); err != nil {
		return fmt.Errorf("the part %s of this workbook cannot be read (%w); it is damaged, ask for it again", name,
			err)
	}
	return nil
}

type relations struct {
	Relation []struct {
		ID     string `xml:"Id,attr"`
		Type   string `xml:"Type,attr"`
		Target string `xml:"Target,attr"`
	} `xml:"Relationship"`
}

// related reads which parts a part refers to: paths by identifier, and the
// identifiers by the last word of their type.
func (b *Book) related(part string) (paths map[string]string, kinds map[string][]string, err error) {
	folder, name := path.Split(part)
	relationsPart := folder + "_rels/" + name + ".rels"
	paths, kinds = make(map[string]string), make(map[string][]string)
	if b.files[relationsPart] == nil {
		return paths, kinds, nil
	}
	var found relations
	if err := b.decode(relationsPart, &found); err != nil {
		return nil, nil, err
	}
	for _, r := range found.Relation {
		target := r.Target
		if !strings.HasPrefix(target, "/") {
			target = path.Join("/", folder, target)
		}
		paths[r.ID] = strings.TrimPrefix(target, "/")
		kind := path.Base(r.Type)
		kinds[kind] = append(kinds[kind], r.ID)
	}
	return paths, kinds, nil
}

func (b *Book) readStructure() error {
	main := "xl/workbook.xml"
	if paths, kinds, err := b.related(""); err == nil && len(kinds["officeDocument"]) > 0 {
		main = paths[kinds["officeDocument"][0]]
	}
	var book struct {
		Properties struct {
			Date1904 string `xml:"date1904,attr"`
		} `xml:"workbookPr"`
		Sheets []struct {
			Name  string     `xml:"name,attr"`
			State string     `xml:"state,attr"`
			Other []xml.Attr `xml:",any,attr"`
		} `xml:"sheets>sheet"`
		Names []struct {
			Name string `xml:"name,attr"`
			Text string `xml:",chardata"`
		} `xml:"definedNames>definedName"`
	}
	if path.Ext(main) == ".bin" {
		return errors.New("this is a workbook of the binary kind (.xlsb); have it saved as .xlsx")
	}
	if err := b.decode(main, &book); err != nil {
		return err
	}
	paths, kinds, err := b.related(main)
	if err != nil {
		return err
	}
	b.from = epoch1900
	if book.Properties.Date1904 == "1" || book.Properties.Date1904 == "true" {
		b.from = epoch1904
	}
	for _, s := range book.Sheets {
		id := ""
		for _, a := range s.Other {
			if a.Name.Local == "id" {
				id = a.Value
			}
		}
		if !isWorksheet(id, kinds) {
			continue // a sheet that is one chart holds no cells
		}
		b.names = append(b.names, s.Name)
		b.sheets[s.Name] = sheetPart{paths[id], s.State == "hidden" || s.State == "veryHidden"}
	}
	for _, n := range book.Names {
		b.defined = append(b.defined, definedName{n.Name, n.Text})
	}
	if ids := kinds["styles"]; len(ids) > 0 {
		if err := b.readStyles(paths[ids[0]]); err != nil {
			return err
		}
	}
	if ids := kinds["sharedStrings"]; len(ids) > 0 && b.files[paths[ids[0]]] != nil {
		b.strings = &sharedStrings{book: b, part: paths[ids[0]]}
	}
	return nil
}

func isWorksheet(id string, kinds map[string][]string) bool {
	for _, worksheet := range kinds["worksheet"] {
		if worksheet == id {
			return true
		}
	}
	return false
}

func (b *Book) readStyles(part string) error {
	var styles struct {
		Formats []struct {
			ID   int    `xml:"numFmtId,attr"`
			Code string `xml:"formatCode,attr"`
		} `xml:"numFmts>numFmt"`
		Cells []struct {
			Format int `xml:"numFmtId,attr"`
		} `xml:"cellXfs>xf"`
	}
	if err := b.decode(part, &styles); err != nil {
		return err
	}
	custom := make(map[int]string)
	for _, f := range styles.Formats {
		custom[f.ID] = f.Code
	}
	known := make(map[int]format)
	for _, cell := range styles.Cells {
		f, ok := known[cell.Format]
		if !ok {
			code, own := custom[cell.Format]
			if !own {
				code = builtIn(cell.Format)
			}
			f = parseFormat(code)
			known[cell.Format] = f
		}
		b.styles = append(b.styles, f)
	}
	return nil
}

// Tables are the tables of all sheets, and the defined names that stand for one
// area.
func (b *Book) Tables() ([]sheet.Table, error) {
	var tables []sheet.Table
	for _, name := range b.names {
		paths, kinds, err := b.related(b.sheets[name].path)
		if err != nil {
			return nil, err
		}
		for _, id := range kinds["table"] {
			var table struct {
				Name    string `xml:"name,attr"`
				Display string `xml:"displayName,attr"`
				Area    string `xml:"ref,attr"`
				Headers string `xml:"headerRowCount,attr"`
				Totals  int    `xml:"totalsRowCount,attr"`
			}
			if err := b.decode(paths[id], &table); err != nil {
				return nil, err
			}
			area, ok := parseArea(table.Area)
			if !ok {
				continue
			}
			area.LastRow -= table.Totals
			shown := table.Display
			if shown == "" {
				shown = table.Name
			}
			tables = append(tables, sheet.Table{Name: shown, Sheet: name, Area: area, Headless: table.Headers == "0"})
		}
	}
	for _, d := range b.defined {
		name, area, ok := splitArea(d.text)
		if _, known := b.sheets[name]; ok && known && !strings.HasPrefix(d.name, "_xlnm.") {
			tables = append(tables, sheet.Table{Name: d.name, Sheet: name, Area: area})
		}
	}
	return tables, nil
}

// splitArea reads 'Sheet name'!$A$1:$D$9.
func splitArea(text string) (name string, area sheet.Area, ok bool) {
	i := strings.LastIndexByte(text, '!')
	if i < 0 {
		return "", area, false
	}
	name = text[:i]
	if len(name) >= 2 && name[0] == '\'' && name[len(name)-1] == '\'' {
		name = strings.ReplaceAll(name[1:len(name)-1], "''", "'")
	}
	area, ok = parseArea(text[i+1:])
	return name, area, ok
}

// parseArea reads A1:D9, A:D or a single cell.
func parseArea(text string) (sheet.Area, bool) {
	from, to, isRange := strings.Cut(text, ":")
	if !isRange {
		to = from
	}
	r1, c1, ok1 := sheet.Reference(from)
	r2, c2, ok2 := sheet.Reference(to)
	if ok1 && ok2 {
		return sheet.Area{FirstRow: min(r1, r2), LastRow: max(r1, r2), FirstColumn: min(c1, c2),
			LastColumn: max(c1, c2)}, true
	}
	c1 = sheet.ColumnNumber(strings.ReplaceAll(from, "$", ""))
	c2 = sheet.ColumnNumber(strings.ReplaceAll(to, "$", ""))
	return sheet.Area{FirstRow: 1, FirstColumn: c1, LastColumn: c2}, isRange && c1 > 0 && c2 >= c1
}

// number reads a whole number; 0 where it is none.
func number(text []byte) int {
	n := 0
	for _, c := range text {
		if c < '0' || c > '9' || n > math.MaxInt32 {
			return signed(text)
		}
		n = 10*n + int(c-'0')
	}
	return n
}

// signed is number for one in another spelling.
func signed(text []byte) int {
	n, err := strconv.Atoi(string(text))
	if err != nil {
		return 0
	}
	return n
}
