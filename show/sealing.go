package show

import (
	"crypto/sha256"
	"encoding/hex"
)

// sealing takes the SHA-256 of what is written to an output, on a goroutine of its own, so that who
// writes need not wait for it.
type sealing struct {
	chunk []byte
	full  chan []byte
	free  chan []byte
	sum   chan string
	stop  chan struct{} // closed where the output is dropped, while somebody may still write to it
}

const (
	sealedBytes  = 256 << 10 // that are handed over at a time
	sealedChunks = 8         // that may be under way
)

func beginSealing() *sealing {
	s := &sealing{full: make(chan []byte, sealedChunks), free: make(chan []byte, sealedChunks),
		sum:  make(chan string, 1),
		stop: make(chan struct{})}
	for range sealedChunks {
		s.free <- nil
	}
	go s.run()
	return s
}

func (s *sealing) run() {
	hash := sha256.New()
	for {
		select {
		case <-s.stop:
			return
		case chunk, more := <-s.full:
			if !more {
				s.sum <- hex.EncodeToString(hash.Sum(nil))
				return
			}
			hash.Write(chunk) // which takes everything
			s.free <- chunk[:0]
		}
	}
}

func (s *sealing) write(p []byte) {
	for len(p) > 0 {
		if s.chunk == nil {
			select {
			case s.chunk = <-s.free:
			case <-s.stop:
				return
			}
			if s.chunk == nil {
				s.chunk = make([]byte, 0, sealedBytes)
			}
		}
		n := min(len(p), sealedBytes-len(s.chunk))
		s.chunk, p = append(s.chunk, p[:n]...), p[n:]
		if len(s.chunk) == sealedBytes {
			s.full <- s.chunk // which has room for all
			s.chunk = nil
		}
	}
}

// end returns the sum, and ends the goroutine. It is called once, when all was written.
func (s *sealing) end() string {
	if len(s.chunk) > 0 {
		s.full <- s.chunk
	}
	close(s.full)
	return <-s.sum
}
