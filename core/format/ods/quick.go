package ods

import (
	"strconv"

	"lastblock/core/format/sheet"
)

// parts are those of a cell.
type parts struct {
	kind                  typeOfValue
	isError               bool
	value, day, styleName []byte
	formula               bool
	repeated              int
	shown                 []byte
	paragraphs            int
}

// read reads the cell that b begins with, where it is in the spelling that nearly all programs write:
// <table:table-cell office:value-type="float" office:value="7"><text:p>7</text:p></table:table-cell>, with the usual
// prefixes, one paragraph at most, and no cells merged. It returns how long the cell is; 0 where it is spelled
// otherwise, or b ends before it does.
func (p *parts) read(b []byte) int {
	const begin, text, end = "<table:table-cell", "><text:p>", "</text:p></table:table-cell>"
	if len(b) < len(begin) || string(b[:len(begin)]) != begin {
		return 0
	}
	*p = parts{repeated: 1}
	i, seen := len(begin), 0
	for i < len(b) && b[i] == ' ' {
		from := i + 1
		at := from
		for at < len(b) && b[at] != '=' && b[at] != ' ' && b[at] != '>' {
			at++
		}
		if at+1 >= len(b) || b[at] != '=' || b[at+1] != '"' {
			return 0
		}
		to := sheet.PlainEnd(b, at+2)
		for to < len(b) && b[to] == ']' { // as in formulas; in a value it ends nothing
			to = sheet.PlainEnd(b, to+1)
		}
		if to >= len(b) || b[to] != '"' {
			return 0
		}
		which := p.take(b[from:at], b[at+2:to:to])
		if which == 0 || seen&which != 0 {
			return 0
		}
		seen |= which
		i = to + 1
	}
	switch {
	case i+1 < len(b) && b[i] == '/' && b[i+1] == '>':
		return i + 2
	case len(b)-i < len(text) || string(b[i:i+len(text)]) != text:
		return 0
	}
	from := i + len(text)
	to := sheet.PlainEnd(b, from)
	if len(b)-to < len(end) || string(b[to:to+len(end)]) != end {
		return 0
	}
	p.shown, p.paragraphs = b[from:to:to], 1
	return to + len(end)
}

// take takes an attribute by its usual name, and returns a bit for it; 0 for one that is not usual.
func (p *parts) take(name, value []byte) (which int) {
	switch string(name) {
	case "office:value-type":
		p.kind = typeOf(value)
		return 1
	case "calcext:value-type":
		p.isError = string(value) == "error"
		return 1 << 1
	case "office:value":
		p.value = value
		return 1 << 2
	case "office:date-value", "office:time-value", "office:boolean-value":
		p.day = value
		return 1 << 3
	case "table:formula":
		p.formula = len(value) > 0
		return 1 << 4
	case "table:style-name":
		p.styleName = value
		return 1 << 5
	case "table:number-columns-repeated":
		p.repeated = repeatsOf(value)
		return 1 << 6
	case "office:currency":
		return 1 << 7
	}
	return 0
}

// repeatsOf reads how often something stands, at least once and at most as often as a sheet has rows.
func repeatsOf(text []byte) int {
	n, err := strconv.Atoi(string(text))
	if err != nil {
		return 1
	}
	return max(1, min(n, sheet.MostRows))
}
