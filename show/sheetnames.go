package show

import (
	"cmp"
	"strconv"
	"strings"
)

// SheetNames are the names of a workbook's sheets, in small letters.
type SheetNames map[string]bool

// FreeName is a name for a sheet that no other one has: a text without what names of sheets cannot hold, and cut where
// it is too long.
func (s SheetNames) FreeName(text string) string {
	const most = 31
	text = strings.Trim(strings.Map(func(r rune) rune {
		if strings.ContainsRune(`:\/?*[]`, r) || isControl(r) {
			return '_'
		}
		return r
	}, strings.ToValidUTF8(text, "_")), "' ")
	for n := 1; ; n++ {
		behind := ""
		if n > 1 {
			behind = " " + strconv.Itoa(n)
		}
		runes := []rune(cmp.Or(text, "Sheet"))
		name := string(runes[:min(len(runes), most-len(behind))]) + behind
		if !s[strings.ToLower(name)] {
			s[strings.ToLower(name)] = true
			return name
		}
	}
}
