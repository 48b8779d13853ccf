package source

import (
	"slices"
	"sync"

	"lastblock/core/format/sheet"
)

// library lends workbooks to whoever reads their sheets: those that share a file also share the texts of it, which are
// stored once for all sheets and take longer to read than most of these, or the part in which they follow one another.
type library struct {
	mutex sync.Mutex
	books []*lentBook // that are lent, and those that were last given back, in that order
	idle  int         // how many of these are kept: each goroutine may go on with its own
}

// lentBook is an open workbook.
type lentBook struct {
	library *library
	key     string
	sheet.Book
	uses int
}

// openBookOf opens the workbook that a source is in.
func openBookOf(s *Source, memory int64) (sheet.Book, error) {
	d, err := openDocumentOf(s)
	if err != nil {
		return nil, err
	}
	book, err := s.format.book(d, memory, recordLimit(memory))
	if err != nil {
		d.Close()
		return nil, err
	}
	return &documentBook{book, d}, nil
}

// documentBook is a workbook that is closed with the document that it is in.
type documentBook struct {
	sheet.Book
	document *document
}

// Close lets go of both.
func (b *documentBook) Close() {
	b.Book.Close()
	b.document.Close()
}

// sharesBook tells whether other sources may be sheets of the same file.
func (s *Source) sharesBook() bool {
	return s.format != nil && s.format.book != nil && s.manner().Choice.Sheet == "*" && !s.isUnknown()
}

// lend lends the workbook that a source is in. It is given back by Close.
func (l *library) lend(s *Source, memory int64) (*lentBook, error) {
	key := s.Path + "\x00" + s.Entry()
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if at := slices.IndexFunc(l.books, func(b *lentBook) bool { return b.key == key }); at >= 0 {
		l.books[at].uses++
		return l.books[at], nil
	}
	book, err := openBookOf(s, memory)
	if err != nil {
		return nil, err
	}
	lent := &lentBook{library: l, key: key, Book: book, uses: 1}
	l.books = append(l.books, lent)
	return lent, nil
}

// Close gives the book back.
func (b *lentBook) Close() {
	b.library.mutex.Lock()
	defer b.library.mutex.Unlock()
	b.uses--
	l := b.library
	l.books = append(slices.DeleteFunc(l.books, func(o *lentBook) bool { return o == b }), b)
	more := -l.idle
	for _, o := range l.books {
		if o.uses == 0 {
			more++
		}
	}
	l.drop(func(o *lentBook) bool {
		if o.uses > 0 || more <= 0 {
			return false
		}
		more--
		return true
	})
}

// drop closes some books.
func (l *library) drop(which func(b *lentBook) bool) {
	l.books = slices.DeleteFunc(l.books, func(b *lentBook) bool {
		if !which(b) {
			return false
		}
		b.Book.Close()
		return true
	})
}

// close closes all books.
func (l *library) close() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.drop(func(*lentBook) bool { return true })
}

// openLent opens a sheet of a workbook that others may read at the same time.
func (l *library) openLent(s *Source, memory int64) (Reader, error) {
	book, err := l.lend(s, memory)
	if err != nil {
		return nil, err
	}
	reader, err := newSheetReader(book, s.format.Name, s.inner().part, s.manner())
	if err != nil {
		book.Close()
		return nil, err
	}
	return &lentReader{reader, book}, nil
}

// lentReader reads a sheet of a book that is given back.
type lentReader struct {
	*sheetReader
	book *lentBook
}

func (r *lentReader) Close() {
	r.Reader.Close()
	r.book.Close()
}
