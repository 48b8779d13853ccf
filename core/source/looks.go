package source

// LooksOf is the file whose looks a source has, and the sheet in it: that of a workbook of ISO/IEC 29500 that lies in a
// file of its own. Both are "" for any other source.
func (s *Set) LooksOf(index int) (path, sheet string) {
	if index < 0 {
		return "", ""
	}
	of := &s.Sources[index]
	isFile := of.Entry() == "" && of.Size >= 0 && unpackedName(of.Path) == of.Path
	if of.format != workbookFormat || !isFile {
		return "", ""
	}
	return of.Path, of.Sheet()
}
