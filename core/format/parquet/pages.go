package parquet

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"slices"
	"sync"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/snappy"
	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go/encoding/thrift"
	"github.com/parquet-go/parquet-go/format"
	"github.com/pierrec/lz4/v4"
)

// plain presents a Parquet file as one whose pages are not compressed, so that the library
// that takes pages apart need not unpack them: what it unpacks of LZ4 into a buffer of its
// own it loses, and reads zeros instead. Each page is checked here: its checksum, where
// it has one, its size, and that a column holds as many values as it says.
//
// A column chunk begins at a multiple of chunkSpace, behind it all is the footer; pages
// are unpacked as they are read, of each column one ahead of what is read.
type plain struct {
	file    io.ReaderAt
	columns []column
	chunks  []chunk
	tail    []byte // footer, its length and the magic bytes
}

// chunk is a column chunk that is read from its beginning on.
type chunk struct {
	*column
	start, size int64 // in the file
	codec       format.CompressionCodec
	values      int64 // that it says it has
}

// stream is the chunk of a column that is being read, one page at a time. Behind each page but the first one the next
// is unpacked while its rows are taken, by a goroutine for whichever core has nothing to do: whoever wants rows waits
// for the one who is taking some, and in most of that time pages were unpacked.
type stream struct {
	chunk *chunk
	at    int64  // where the next page begins, as presented
	page  []byte // the one before it
	most  int    // bytes of a page behind which another one is unpacked

	ahead   chan struct{} // closed when the next page is there; nil where nobody unpacks it
	reader  *bufio.Reader // this and what follows is for whoever unpacks
	decoder *thrift.Decoder
	seen    int64 // values of the pages that were unpacked
	packed  []byte
	next    []byte // the next page
	err     error  // in the place of it
}

// begin reads a chunk from its beginning.
func (s *stream) begin(file io.ReaderAt, c *chunk) {
	s.wait()
	section := io.NewSectionReader(file, c.start, c.size)
	if s.reader == nil {
		s.reader = bufio.NewReader(section)
	} else {
		s.reader.Reset(section)
	}
	s.chunk, s.decoder = c, thrift.NewDecoder(new(thrift.CompactProtocol).NewReader(s.reader))
	s.seen, s.at, s.page, s.err = 0, 0, s.page[:0], nil
}

// wait waits until nobody unpacks a page.
func (s *stream) wait() {
	if s.ahead != nil {
		<-s.ahead
		s.ahead = nil
	}
}

// turn goes on to the next page, io.EOF behind the last one.
func (s *stream) turn() error {
	if s.ahead == nil {
		s.err = s.unpack()
	}
	s.wait()
	if s.err != nil {
		return s.err
	}
	isFirst := s.at == 0 // of many files no more rows are looked at than those of this one
	s.page, s.next = s.next, s.page
	s.at += int64(len(s.page))
	if isFirst || len(s.page) > s.most || s.seen >= s.chunk.values {
		return nil
	}
	ahead := make(chan struct{})
	s.ahead = ahead
	go func() {
		defer close(ahead)
		defer func() {
			if cause := recover(); cause != nil { // as some damaged pages have packages do
				s.err = fmt.Errorf("%v", cause)
			}
		}()
		s.err = s.unpack()
	}()
	return nil
}

const (
	magic      = "PAR1"
	chunkSpace = 1 << 40
	mostFooter = 1 << 30
	// mostPage is the most that a page may unpack to, in bytes, unless it is less than
	// mostTimes of its own size.
	mostPage  = 64 << 20
	mostTimes = 1000
	// mostAhead is about how many bytes of all columns are unpacked ahead of what is read.
	mostAhead = 16 << 20
)

// present reads the footer of a file.
func present(file io.ReaderAt, size int64) (*plain, error) {
	metadata, err := readFooter(file, size)
	if err != nil {
		return nil, err
	}
	if metadata.EncryptionAlgorithm.Value != nil {
		return nil, errEncrypted
	}
	columns, err := columnsOf(metadata.Schema)
	if err != nil {
		return nil, err
	}
	for i := range columns {
		columns[i].stream.most = mostAhead / len(columns)
	}
	p := &plain{file: file, columns: columns}
	for i := range metadata.RowGroups {
		group := &metadata.RowGroups[i]
		if len(group.Columns) != len(columns) {
			return nil, errors.New("a group of rows in it lacks columns")
		}
		for j := range group.Columns {
			if err := p.add(&group.Columns[j], &columns[j], group.NumRows, size); err != nil {
				return nil, err
			}
		}
	}
	footer, err := thrift.Marshal(new(thrift.CompactProtocol), metadata)
	if err != nil {
		return nil, err
	}
	p.tail = append(binary.LittleEndian.AppendUint32(footer, uint32(len(footer))), magic...)
	return p, nil
}

var errEncrypted = errors.New("it is encrypted; ask for one that is not")

func readFooter(file io.ReaderAt, size int64) (*format.FileMetaData, error) {
	const ends = 8 // length of the footer and magic bytes
	if size < int64(len(magic))+ends {
		return nil, io.ErrUnexpectedEOF
	}
	var end [ends]byte
	if _, err := file.ReadAt(end[:], size-ends); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	switch string(end[4:]) {
	case magic:
	case "PARE":
		return nil, errEncrypted
	default:
		return nil, errors.New("its end is missing")
	}
	length := int64(binary.LittleEndian.Uint32(end[:]))
	if length > min(size-ends, mostFooter) {
		return nil, errors.New("its footer is longer than the file")
	}
	footer := make([]byte, length)
	if _, err := file.ReadAt(footer, size-ends-length); err != nil {
		return nil, err
	}
	var metadata format.FileMetaData
	decoder := thrift.NewDecoder(new(thrift.CompactProtocol).NewReader(bytes.NewReader(footer)))
	if err := decoder.Decode(&metadata); err != nil {
		return nil, fmt.Errorf("its footer cannot be made out: %w", err)
	}
	return &metadata, nil
}

// add presents a column chunk.
func (p *plain) add(c *format.ColumnChunk, of *column, rows, size int64) error {
	m := &c.MetaData
	if len(c.EncryptedColumnMetadata) > 0 || c.CryptoMetadata.Value != nil {
		return errEncrypted
	}
	start := m.DataPageOffset
	if d := m.DictionaryPageOffset; d > 0 && d < start {
		start = d
	}
	if c.FilePath != "" || start < int64(len(magic)) || m.TotalCompressedSize < 0 ||
		start > size-m.TotalCompressedSize {
		return fmt.Errorf("column %s lies outside of it", of.name)
	}
	if of.repetition == 0 && m.NumValues != rows {
		return fmt.Errorf("column %s has %d values for %d rows", of.name, m.NumValues, rows)
	}
	p.chunks = append(p.chunks, chunk{column: of, start: start, size: m.TotalCompressedSize, codec: m.Codec,
		values: m.NumValues})
	m.Codec = format.Uncompressed
	m.DictionaryPageOffset, m.IndexPageOffset, m.BloomFilterOffset, m.BloomFilterLength = 0, 0, 0, 0
	m.DataPageOffset = int64(len(p.chunks)) * chunkSpace
	m.TotalCompressedSize = chunkSpace
	c.FileOffset = 0
	c.OffsetIndexOffset, c.OffsetIndexLength, c.ColumnIndexOffset, c.ColumnIndexLength = 0, 0, 0, 0
	return nil
}

// Size is how long the file is as it is presented.
func (p *plain) Size() int64 { return int64(len(p.chunks)+1)*chunkSpace + int64(len(p.tail)) }

// ReadAt reads from the file as it is presented. It is not for several goroutines.
func (p *plain) ReadAt(dst []byte, offset int64) (int, error) {
	switch at := offset / chunkSpace; {
	case at == 0:
		return bytes.NewReader([]byte(magic)).ReadAt(dst, offset)
	case at > int64(len(p.chunks)):
		return bytes.NewReader(p.tail).ReadAt(dst, offset-int64(len(p.chunks)+1)*chunkSpace)
	default:
		return p.chunks[at-1].readAt(p.file, dst, offset%chunkSpace)
	}
}

// readAt reads from a chunk, on from where it was read last or from a beginning anew.
func (c *chunk) readAt(file io.ReaderAt, dst []byte, offset int64) (int, error) {
	s := &c.column.stream
	if s.chunk != c || offset < s.at-int64(len(s.page)) {
		s.begin(file, c)
	}
	n := 0
	for n < len(dst) {
		if from := offset + int64(n) - (s.at - int64(len(s.page))); from < int64(len(s.page)) {
			n += copy(dst[n:], s.page[from:])
			continue
		}
		switch err := s.turn(); {
		case errors.Is(err, io.EOF):
			return n, io.EOF
		case err != nil:
			return n, fmt.Errorf("column %s: %w", c.name, err)
		}
	}
	return n, nil
}

// unpack unpacks the next page, io.EOF behind the last one.
func (s *stream) unpack() error {
	c := s.chunk
	if s.seen >= c.values {
		return io.EOF
	}
	var header format.PageHeader
	if err := s.decoder.Decode(&header); err != nil {
		return fmt.Errorf("a page after %d of %d values cannot be made out: %w", s.seen, c.values, notEnd(err))
	}
	packed, unpacked := int64(header.CompressedPageSize), int64(header.UncompressedPageSize)
	if packed < 0 || packed > c.size || unpacked < 0 || unpacked > max(mostPage, mostTimes*packed) {
		return fmt.Errorf("a page of %d bytes is said to unpack to %d", packed, unpacked)
	}
	s.packed = slices.Grow(s.packed[:0], int(packed))[:packed]
	if _, err := io.ReadFull(s.reader, s.packed); err != nil {
		return notEnd(err)
	}
	if header.CRC != 0 && uint32(header.CRC) != crc32.ChecksumIEEE(s.packed) {
		return errors.New("the checksum of a page is another one")
	}
	levels := 0 // bytes of them in front, which version 2 does not compress
	codec := c.codec
	switch {
	case header.DataPageHeader.Valid:
		s.seen += int64(header.DataPageHeader.V.NumValues)
	case header.DataPageHeaderV2.Valid:
		v2 := &header.DataPageHeaderV2.V
		s.seen += int64(v2.NumValues)
		levels = int(v2.RepetitionLevelsByteLength) + int(v2.DefinitionLevelsByteLength)
		if levels < 0 || levels > len(s.packed) || levels > int(unpacked) {
			return errors.New("the levels of a page are longer than the page")
		}
		if v2.IsCompressed.Valid && !v2.IsCompressed.V {
			codec = format.Uncompressed
		}
		v2.IsCompressed = thrift.New(false)
	}
	header.CompressedPageSize, header.CRC = header.UncompressedPageSize, 0
	front, err := thrift.Marshal(new(thrift.CompactProtocol), &header)
	if err != nil {
		return err
	}
	length := len(front) + int(unpacked)
	page := append(slices.Grow(s.next[:0], length), front...)
	page = append(page, s.packed[:levels]...)
	if err := unpack(codec, page[len(page):length], s.packed[levels:]); err != nil {
		return fmt.Errorf("a page packed by %s cannot be unpacked: %w", codec, err)
	}
	s.next = page[:length]
	return c.column.check(&header, s.next[len(front):])
}

// notEnd makes an end where none should be an error that is none of a reader.
func notEnd(err error) error {
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}

var errLength = errors.New("it holds more or fewer bytes than it says")

// zstds are decoders to be used again; with one core they have no goroutines to be ended.
var zstds = sync.Pool{New: func() any {
	r, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1))
	if err != nil {
		panic(err) // of these options, for which there is none
	}
	return r
}}

// unpack fills dst with what was packed into src, which must be as long.
func unpack(codec format.CompressionCodec, dst, src []byte) error {
	if len(dst) == 0 && len(src) == 0 {
		return nil // a page of nothing but blanks
	}
	switch codec {
	case format.Uncompressed:
		if copy(dst, src) != len(src) || len(src) != len(dst) {
			return errLength
		}
		return nil
	case format.Snappy:
		if n, err := snappy.DecodedLen(src); err != nil || n != len(dst) {
			return errors.Join(err, errLength)
		}
		_, err := snappy.Decode(dst, src)
		return err
	case format.Gzip:
		r, err := gzip.NewReader(bytes.NewReader(src))
		if err != nil {
			return err
		}
		return fill(dst, r)
	case format.Zstd:
		r := zstds.Get().(*zstd.Decoder)
		defer zstds.Put(r)
		var header zstd.Header
		if header.Decode(src) == nil && header.HasFCS && header.FrameContentSize == uint64(len(dst)) { // in one go
			if all, err := r.DecodeAll(src, dst[:0]); err != nil || copy(dst, all) != len(dst) || len(all) != len(dst) {
				return errors.Join(err, errLength)
			}
			return nil
		}
		if err := r.Reset(bytes.NewReader(src)); err != nil {
			return err
		}
		return fill(dst, r)
	case format.Brotli:
		return fill(dst, brotli.NewReader(bytes.NewReader(src)))
	case format.Lz4Raw:
		return unpackBlock(dst, src)
	case format.Lz4:
		return unpackBlocks(dst, src)
	}
	return errors.New("this kind is not known here")
}

// fill reads dst from r, which must end there.
func fill(dst []byte, r io.Reader) error {
	if _, err := io.ReadFull(r, dst); err != nil {
		return errors.Join(notEnd(err), errLength)
	}
	if n, err := io.ReadFull(r, make([]byte, 1)); n > 0 || !errors.Is(err, io.EOF) {
		return errors.Join(err, errLength)
	}
	return nil
}

func unpackBlock(dst, src []byte) error {
	n, err := lz4.UncompressBlock(src, dst)
	if err == nil && n != len(dst) {
		err = errLength
	}
	return err
}

// unpackBlocks unpacks what the older LZ4 codec has written: blocks, each behind its two
// lengths with the highest byte first; or one block without them.
func unpackBlocks(dst, src []byte) error {
	const lengths = 8
	whole := dst
	for rest := src; len(rest) >= lengths; {
		unpacked, packed := binary.BigEndian.Uint32(rest), binary.BigEndian.Uint32(rest[4:])
		rest = rest[lengths:]
		if int64(unpacked) > int64(len(dst)) || int64(packed) > int64(len(rest)) {
			break
		}
		if unpackBlock(dst[:unpacked], rest[:packed]) != nil {
			break
		}
		dst, rest = dst[unpacked:], rest[packed:]
		if len(dst) == 0 && len(rest) == 0 {
			return nil
		}
	}
	return unpackBlock(whole, src)
}
