package show

import (
	"fmt"
	"strings"
	"time"

	"lastblock/core/source"
)

const (
	progressDelay = 500 * time.Millisecond // how long work must take to be worth showing
	progressEvery = 100 * time.Millisecond
)

// Progress shows on a terminal how far reading has come: files, bytes, rate
// and time left, on one line that is gone when the work is done. Call the
// function it returns then. begun is when the command was given.
func Progress(s *Screen, begun time.Time, counted *source.Progress, files int, bytes int64) (stop func()) {
	if !s.Terminal {
		return func() {}
	}
	stopping, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		started := time.Now()
		wait := max(0, progressDelay-time.Since(begun))
		shown := false
		for {
			select {
			case <-stopping:
				if shown {
					_ = s.raw([]byte("\r\x1b[K")) // to the start of the line, and clear it
				}
				return
			case <-time.After(wait):
			}
			line := progressLine(counted.Files.Load(), counted.Bytes.Load(), int64(files), bytes, time.Since(started))
			_ = s.raw([]byte("\r\x1b[K" + shorten(line, max(1, s.Width-1)))) // which s remembers
			shown, wait = true, progressEvery
		}
	}()
	return func() {
		close(stopping)
		<-stopped
	}
}

// progressLine says how far work has come. bytes is 0 where the size is not
// known before the end, as with a pipe.
func progressLine(doneFiles, doneBytes, files, bytes int64, took time.Duration) string {
	rate := float64(doneBytes) / took.Seconds()
	if bytes <= 0 {
		return fmt.Sprintf("read %s  %s/s", Size(doneBytes), Size(int64(rate)))
	}
	share := min(1, float64(doneBytes)/float64(bytes))
	const width = 12
	full := int(share * width)
	line := fmt.Sprintf("%3.0f%% %s%s  %s of %s  %s of %s  %s/s", 100*share,
		strings.Repeat("━", full), strings.Repeat("╌", width-full),
		Number(int(doneFiles)), Count(int(files), "file"), Size(doneBytes), Size(bytes), Size(int64(rate)))
	if rate > 0 {
		left := time.Duration(float64(bytes-doneBytes) / rate * float64(time.Second))
		line += "  " + max(left, 0).Round(time.Second).String() + " left"
	}
	return line
}
