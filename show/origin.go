package show

import (
	"archive/zip"
	"encoding/xml"
	"io"
	"strconv"

	"github.com/xuri/excelize/v2"
)

// Origin says what a file was made of. It stands in the properties of a workbook, where an office program that
// saves it keeps it.
type Origin struct {
	Plan   string // the file name of the plan
	Result string // the name of the result, or its command
	Block  int    // that seals it; 0 for none
	Period string // of the block
}

// The names of the properties, as people see them.
const (
	planProperty   = "Lastblock plan"
	resultProperty = "Lastblock result"
	blockProperty  = "Lastblock block"
	periodProperty = "Lastblock period"
)

// From says what an output is made of.
func (o *Output) From(origin *Origin) { o.origin = origin }

// fromOrigin is what tells what it is made of.
type fromOrigin interface{ madeOf() *Origin }

func (o *Output) madeOf() *Origin { return o.origin }

func (u unpacked) madeOf() *Origin { return originOf(u.Writer) }

func originOf(w io.Writer) *Origin {
	if from, ok := w.(fromOrigin); ok {
		return from.madeOf()
	}
	return nil
}

// Stamp writes what a file is made of into the properties of a workbook that is written to it.
func Stamp(w io.Writer, book *excelize.File) error {
	if err := book.SetDocProps(&excelize.DocProperties{Creator: creator}); err != nil {
		return err
	}
	return originOf(w).stamp(book)
}

// stamp writes the origin into the properties of a workbook.
func (o *Origin) stamp(book *excelize.File) error {
	if o == nil {
		return nil
	}
	properties := []excelize.CustomProperty{{Name: planProperty, Value: o.Plan},
		{Name: resultProperty, Value: o.Result}}
	if o.Block > 0 {
		properties = append(properties, excelize.CustomProperty{Name: blockProperty, Value: strconv.Itoa(o.Block)},
			excelize.CustomProperty{Name: periodProperty, Value: o.Period})
	}
	for _, p := range properties {
		if err := book.SetCustomProps(p); err != nil {
			return err
		}
	}
	return nil
}

// The parts of a file that hold its properties: of a workbook as ISO/IEC 29500 has it, and of an OpenDocument sheet.
const (
	workbookProperties = "docProps/custom.xml"
	documentProperties = "meta.xml"
)

// mostProperties is how many bytes of properties are read.
const mostProperties = 1 << 20

// ReadOrigin is what the properties of a file say of its origin, nil where they say nothing, or the file has none.
func ReadOrigin(path string) *Origin {
	file, err := zip.OpenReader(path)
	if err != nil {
		return nil
	}
	defer file.Close()
	for _, part := range file.File {
		if part.Name != workbookProperties && part.Name != documentProperties {
			continue
		}
		in, err := part.Open()
		if err != nil {
			return nil
		}
		origin := readProperties(io.LimitReader(in, mostProperties))
		in.Close()
		return origin
	}
	return nil
}

// readProperties reads properties of either kind: an element with the name in an attribute called name, and the
// value as the text within.
func readProperties(r io.Reader) *Origin {
	o, name := new(Origin), ""
	text := map[string]*string{planProperty: &o.Plan, resultProperty: &o.Result, periodProperty: &o.Period,
		blockProperty: new(string)}
	for in := xml.NewDecoder(r); ; {
		token, err := in.Token()
		if err != nil {
			break
		}
		switch token := token.(type) {
		case xml.StartElement:
			for _, a := range token.Attr {
				if a.Name.Local == "name" {
					name = a.Value
				}
			}
		case xml.CharData:
			if to := text[name]; to != nil {
				*to += string(token)
			}
		case xml.EndElement:
			if token.Name.Local == "property" || token.Name.Local == "user-defined" {
				name = ""
			}
		}
	}
	if o.Plan == "" || o.Result == "" {
		return nil
	}
	o.Block, _ = strconv.Atoi(*text[blockProperty])
	return o
}
