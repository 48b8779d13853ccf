package decode

import (
	"bytes"
	"errors"
	"io"
	"math/rand/v2"
	"testing"
	"testing/iotest"
)

// closing notes whether it was closed.
type closing struct {
	io.Reader
	closed bool
}

func (c *closing) Close() error {
	c.closed = true
	return nil
}

// ended gives bytes, and then an error.
func ended(data []byte, err error) io.Reader {
	return io.MultiReader(bytes.NewReader(data), iotest.ErrReader(err))
}

// What is read ahead is what is there, up to the error that ends it, in whatever pieces it comes and is taken.
func TestAhead(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 1))
	broken := errors.New("broken")
	for _, size := range []int{0, 1, aheadSize - 1, aheadSize, aheadSize + 1, 9*aheadSize + 77} {
		want := make([]byte, size)
		for i := range want {
			want[i] = byte(r.Uint32())
		}
		for name, c := range map[string]struct {
			from io.Reader
			err  error
		}{
			"whole":          {bytes.NewReader(want), nil},
			"by halves":      {iotest.HalfReader(bytes.NewReader(want)), nil},
			"with its end":   {iotest.DataErrReader(bytes.NewReader(want)), nil},
			"up to an error": {ended(want, broken), broken},
			"cut off":        {ended(want, io.ErrUnexpectedEOF), io.ErrUnexpectedEOF},
		} {
			under := &closing{Reader: c.from}
			a := Ahead(under)
			got, err := io.ReadAll(iotest.HalfReader(a))
			if !bytes.Equal(got, want) || !errors.Is(err, c.err) || (err == nil) != (c.err == nil) {
				t.Errorf("%d bytes, %s: %d bytes, %v", size, name, len(got), err)
			}
			if err := a.Close(); err != nil || !under.closed {
				t.Errorf("%d bytes, %s: closing: %v, %v", size, name, err, under.closed)
			}
		}
	}
}

// Who has enough closes, and nothing goes on reading.
func TestAheadEndsEarly(t *testing.T) {
	read := 0
	under := &closing{Reader: io.TeeReader(endless{}, countWriter{&read})}
	a := Ahead(under)
	if _, err := io.ReadFull(a, make([]byte, 10)); err != nil {
		t.Fatal(err)
	}
	if err := a.Close(); err != nil || !under.closed {
		t.Fatalf("%v, %v", err, under.closed)
	}
	if most := (aheadPieces + 3) * aheadSize; read > most {
		t.Errorf("%d bytes were read, at most %d are ahead", read, most)
	}
}

type endless struct{}

func (endless) Read(p []byte) (int, error) { return len(p), nil }

type countWriter struct{ n *int }

func (c countWriter) Write(p []byte) (int, error) {
	*c.n += len(p)
	return len(p), nil
}
