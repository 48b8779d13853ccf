package show

import (
	"fmt"
	"time"

	"lastblock/core/source"

	"github.com/jedib0t/go-pretty/v6/progress"
	"github.com/jedib0t/go-pretty/v6/text"
)

// progressDelay is how long work must take before progress is worth showing.
const progressDelay = 500 * time.Millisecond

// Progress shows on a terminal how far reading has come: files, bytes, rate
// and time left. Call the function it returns when the work is done.
func Progress(s *Screen, counted *source.Progress, files int, bytes int64) (stop func()) {
	if !s.Terminal {
		return func() {}
	}
	stopping, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		select {
		case <-stopping:
			return
		case <-time.After(progressDelay):
		}
		showProgress(s, counted, files, bytes, stopping)
	}()
	return func() {
		close(stopping)
		<-stopped
	}
}

func showProgress(s *Screen, counted *source.Progress, files int, bytes int64, stopping <-chan struct{}) {
	const often = 100 * time.Millisecond
	w := progress.NewWriter()
	w.SetOutputWriter(s)
	w.SetStyle(progressStyle(s))
	w.SetUpdateFrequency(often)
	w.SetTrackerLength(max(10, s.Width/5))
	w.SetTrackerPosition(progress.PositionRight)
	w.SetTerminalWidth(s.Width)
	tracker := &progress.Tracker{Total: bytes, Units: progress.UnitsBytes, RemoveOnCompletion: true}
	w.AppendTracker(tracker)
	update := func() {
		tracker.UpdateMessage(fmt.Sprintf("%s of %s files", Number(int(counted.Files.Load())), Number(files)))
		// the tracker is done, and gone, when it reaches its total
		tracker.SetValue(min(counted.Bytes.Load(), bytes-1))
	}
	update()
	rendered := make(chan struct{})
	go func() {
		defer close(rendered)
		w.Render()
	}()
	tick := time.NewTicker(often)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			update()
		case <-stopping:
			tracker.MarkAsDone()
			w.Stop()
			<-rendered
			return
		}
	}
}

func progressStyle(s *Screen) progress.Style {
	style := progress.StyleDefault
	style.Visibility = progress.StyleVisibility{ETA: true, Speed: true, Tracker: true, Value: true}
	style.Options.Separator = "  "
	style.Options.ETAString = "left"
	style.Options.TimeInProgressPrecision = time.Second
	style.Options.ETAPrecision = time.Second
	if s.Colour {
		style.Colors.Tracker = text.Colors{text.FgCyan}
	}
	return style
}
