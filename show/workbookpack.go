package show

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"

	"lastblock/core/large/spill"
	"lastblock/core/record"
	"lastblock/core/value/natural"

	"github.com/klauspost/compress/flate"
	"github.com/xuri/excelize/v2"
)

const (
	pieceSize = 128 << 10 // of records that are made and packed together, as framed takes them
	packLevel = 5         // of DEFLATE
	heldSize  = 1 << 20   // of a packed sheet that is held in memory
)

// piece is some rows of a sheet: records, then XML, then packed. Each piece is packed by itself, and ends at a whole
// byte, so that pieces one behind another are one stream (RFC 1951, 3.2.4).
type piece struct {
	part    *part
	row     int // of the first record
	records []byte
	xml     []byte
	packed  bytes.Buffer
	err     error
	done    chan struct{}
}

// packer packs pieces on all cores. It is for one goroutine.
type packer struct {
	queue []*piece // that are being packed, the oldest first
	most  int
	spare []*piece
	err   error
}

func newPacker() *packer { return &packer{most: 2 * runtime.GOMAXPROCS(0)} }

// piece starts a piece of a part.
func (p *packer) piece(of *part, row int) *piece {
	next := new(piece)
	if n := len(p.spare); n > 0 {
		next, p.spare = p.spare[n-1], p.spare[:n-1]
	}
	next.part, next.row, next.records = of, row, next.records[:0]
	return next
}

// pack packs a piece, and waits for older ones where many are being packed. The error may be that of an older one.
func (p *packer) pack(next *piece) error {
	next.done = make(chan struct{})
	go next.make()
	if p.queue = append(p.queue, next); len(p.queue) > p.most {
		p.take()
	}
	return p.err
}

// take takes what became of the oldest piece.
func (p *packer) take() {
	oldest := p.queue[0]
	p.queue = p.queue[1:]
	<-oldest.done
	if err := errors.Join(oldest.err, oldest.part.add(oldest.xml, oldest.packed.Bytes())); p.err == nil {
		p.err = err
	}
	p.spare = append(p.spare, oldest)
}

// finish takes all pieces.
func (p *packer) finish() error {
	for len(p.queue) > 0 {
		p.take()
	}
	return p.err
}

// abandon waits for what is being packed, which nobody wants any more.
func (p *packer) abandon() {
	for _, of := range p.queue {
		<-of.done
	}
	p.queue = nil
}

// make makes rows of the records and packs them.
func (p *piece) make() {
	defer close(p.done)
	p.xml = p.xml[:0]
	columns := p.part.sheet.columns
	row := p.row
	var digits [20]byte
	rows := &framed{texts: make([][]byte, len(columns)), kinds: make([]record.Kind, len(columns))}
	rows.write = func(texts [][]byte, kinds []record.Kind) error {
		number := strconv.AppendInt(digits[:0], int64(row), 10)
		row++
		p.xml = append(append(append(p.xml, `<row r="`...), number...), `">`...)
		for i := range columns {
			p.xml = columns[i].append(p.xml, number, texts[i], kinds[i])
		}
		p.xml = append(p.xml, `</row>`...)
		return nil
	}
	if _, p.err = rows.Write(p.records); p.err == nil {
		p.err = pack(&p.packed, p.xml, false)
	}
}

var packers = sync.Pool{New: func() any {
	w, err := flate.NewWriter(nil, packLevel)
	if err != nil {
		panic(err) // of a level that there is not
	}
	return w
}}

// pack packs a piece of a stream, or its last one.
func pack(to *bytes.Buffer, piece []byte, last bool) error {
	to.Reset()
	w := packers.Get().(*flate.Writer)
	defer packers.Put(w)
	w.Reset(to)
	_, err := w.Write(piece)
	if last {
		return errors.Join(err, w.Close())
	}
	return errors.Join(err, w.Flush())
}

// add adds a piece to what is packed of a sheet.
func (p *part) add(xml, packed []byte) error {
	p.sum.Write(xml) // which takes everything
	p.size += uint64(len(xml))
	_, err := p.packed.Write(packed)
	return err
}

// store holds what is written to it, much of it in a temporary file.
type store struct {
	held bytes.Buffer
	file *os.File
	size int64 // of the file
}

func (s *store) Write(data []byte) (int, error) {
	if s.held.Len()+len(data) > heldSize {
		if err := s.putAside(); err != nil {
			return 0, err
		}
	}
	return s.held.Write(data)
}

func (s *store) putAside() (err error) {
	if s.file == nil {
		if s.file, err = spill.TempFile(); err != nil {
			return err
		}
	}
	n, err := s.held.WriteTo(s.file)
	s.size += n
	return spill.PutAside(err)
}

func (s *store) len() int64 { return s.size + int64(s.held.Len()) }

// copy copies all of it.
func (s *store) copy(w io.Writer) error {
	if s.file != nil {
		if _, err := io.Copy(w, io.NewSectionReader(s.file, 0, s.size)); err != nil {
			return err
		}
	}
	_, err := w.Write(s.held.Bytes())
	return err
}

func (s *store) close() error {
	if s.file == nil {
		return nil
	}
	file := s.file
	s.file = nil
	return spill.Remove(file)
}

// writeAround writes a workbook that is all but the rows of some sheets, by their numbers, with these in it.
func writeAround(w io.Writer, frame []byte, parts map[int]*part) error {
	of, err := zip.NewReader(bytes.NewReader(frame), int64(len(frame)))
	if err != nil {
		return err
	}
	out := zip.NewWriter(w)
	slices.SortFunc(of.File, func(a, b *zip.File) int { return comparePlaces(a.Name, b.Name) })
	for _, member := range of.File {
		number, isSheet := strings.CutPrefix(member.Name, "xl/worksheets/sheet")
		number, hasEnding := strings.CutSuffix(number, ".xml")
		n, err := strconv.Atoi(number)
		if p := parts[n]; isSheet && hasEnding && err == nil && p != nil && p.size > 0 {
			err = p.write(out, member)
		} else {
			err = copyInOrder(out, member)
		}
		if err != nil {
			return err
		}
	}
	return out.Close()
}

// comparePlaces is the order of the parts of a workbook: that which tells what the others are first, and then by their
// names, so that a workbook is the same bytes whenever it is made.
func comparePlaces(a, b string) int {
	const first = "[Content_Types].xml"
	switch {
	case a == b:
		return 0
	case a == first:
		return -1
	case b == first:
		return 1
	}
	return natural.Compare(a, b)
}

// copyInOrder copies a part, whose root may have its attributes in any order.
func copyInOrder(out *zip.Writer, member *zip.File) error {
	content, err := member.Open()
	if err != nil {
		return err
	}
	defer content.Close()
	const most = 16 << 10 // that a root has
	front := make([]byte, most)
	n, err := io.ReadFull(content, front)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return err
	}
	front = front[:n]
	ordered := inAttributeOrder(front)
	if bytes.Equal(ordered, front) {
		return out.Copy(member)
	}
	to, err := out.CreateHeader(&zip.FileHeader{Name: member.Name, Method: zip.Deflate})
	if err != nil {
		return err
	}
	_, err = io.Copy(to, io.MultiReader(bytes.NewReader(ordered), content))
	return err
}

// rootTag is the start of the first element of a part, and attribute one of its attributes.
var (
	rootTag   = regexp.MustCompile(`^(?:<\?[^>]*\?>\s*)?<[A-Za-z][^\s/>]*((?:\s+[^\s=]+="[^"]*")+)`)
	attribute = regexp.MustCompile(`[^\s=]+="[^"]*"`)
)

// inAttributeOrder puts the attributes of the root of a part into the order of their names, which says nothing.
func inAttributeOrder(xml []byte) []byte {
	at := rootTag.FindSubmatchIndex(xml)
	if at == nil {
		return xml
	}
	attributes := attribute.FindAll(xml[at[2]:at[3]], -1)
	if slices.IsSortedFunc(attributes, bytes.Compare) {
		return xml
	}
	slices.SortFunc(attributes, bytes.Compare)
	return slices.Concat(xml[:at[2]], []byte(" "), bytes.Join(attributes, []byte(" ")), xml[at[3]:])
}

// WriteBook writes a workbook, with its parts in one order.
func WriteBook(w io.Writer, book *excelize.File) error {
	var frame bytes.Buffer
	if err := book.Write(&frame); err != nil {
		return err
	}
	return writeAround(w, frame.Bytes(), nil)
}

// write writes a sheet: what the frame has of it up to its header, its rows, and the rest of the frame.
func (p *part) write(out *zip.Writer, frame *zip.File) error {
	content, err := frame.Open()
	if err != nil {
		return err
	}
	xml, err := io.ReadAll(content)
	if err != nil {
		return err
	}
	xml = inAttributeOrder(xml)
	at := bytes.LastIndex(xml, []byte("</sheetData>"))
	if at < 0 {
		return fmt.Errorf("sheet %s has no place for rows", frame.Name)
	}
	var front, end bytes.Buffer
	if err := errors.Join(pack(&front, xml[:at], false), pack(&end, xml[at:], true)); err != nil {
		return err
	}
	sum := joined(crc32.ChecksumIEEE(xml[:at]), p.sum.Sum32(), p.size)
	sum = joined(sum, crc32.ChecksumIEEE(xml[at:]), uint64(len(xml)-at))
	header := &zip.FileHeader{Name: frame.Name, Method: zip.Deflate, CRC32: sum}
	header.UncompressedSize64 = uint64(len(xml)) + p.size
	header.CompressedSize64 = uint64(int64(front.Len()+end.Len()) + p.packed.len())
	to, err := out.CreateRaw(header)
	if err != nil {
		return err
	}
	if _, err := front.WriteTo(to); err != nil {
		return err
	}
	if err := p.packed.copy(to); err != nil {
		return err
	}
	_, err = end.WriteTo(to)
	return err
}

// joined is the checksum of two stretches one behind the other: by CRC-32 that of the second, and that of the first
// moved on by as many zeros as the second has bytes. Moving on by one zero bit is a linear map over the bits, squared
// again and again.
func joined(first, second uint32, length uint64) uint32 {
	const polynomial = 0xedb88320 // of IEEE 802.3, the lowest bit first
	type matrix [32]uint32
	times := func(m *matrix, v uint32) (sum uint32) {
		for i := 0; v != 0; i, v = i+1, v>>1 {
			if v&1 != 0 {
				sum ^= m[i]
			}
		}
		return sum
	}
	square := func(m *matrix) *matrix {
		of := new(matrix)
		for i := range m {
			of[i] = times(m, m[i])
		}
		return of
	}
	by := &matrix{polynomial}
	for i := 1; i < len(by); i++ {
		by[i] = 1 << (i - 1)
	}
	for range 3 { // from a bit to a byte
		by = square(by)
	}
	for ; length > 0; length >>= 1 {
		if length&1 != 0 {
			first = times(by, first)
		}
		by = square(by)
	}
	return first ^ second
}
