package decode

import (
	"archive/zip"
	"cmp"
	"errors"
	"slices"
)

// ErrOverlap is an archive in which one stretch of bytes belongs to several entries, so
// that little of it unpacks to much. No program that packs files makes such a one.
var ErrOverlap = errors.New("the entries of this zip file overlap one another; it is damaged, or no data")

// CheckArchive looks at the directory of a zip file of a size before anything of it is
// unpacked. The error is ErrOverlap, or a *BombError where all entries together unpack to
// more than any honest file does.
func CheckArchive(files []*zip.File, size int64) error {
	type stretch struct{ from, to int64 }
	var stretches []stretch
	var unpacked uint64
	most := uint64(max(smallUnpacked, mostTimes*size))
	for _, f := range files {
		unpacked += f.UncompressedSize64
		if f.UncompressedSize64 > most || unpacked > most {
			return &BombError{Zip, int64(most)}
		}
		if f.CompressedSize64 == 0 {
			continue
		}
		from, err := f.DataOffset()
		if err != nil {
			continue // reading the entry tells
		}
		stretches = append(stretches, stretch{from, from + int64(min(f.CompressedSize64, 1<<62))})
	}
	slices.SortFunc(stretches, func(a, b stretch) int { return cmp.Compare(a.from, b.from) })
	for i := 1; i < len(stretches); i++ {
		if stretches[i].from < stretches[i-1].to {
			return ErrOverlap
		}
	}
	return nil
}
