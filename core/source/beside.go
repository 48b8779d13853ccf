package source

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
)

// ReadBeside is ReadTable of a file that has another part in the run than a source, such as a
// control sheet. The set notes it.
func (s *Set) ReadBeside(ctx context.Context, path string, reading Reading, decimal byte) (*Table, error) {
	s.Beside = append(s.Beside, path)
	s.noteBeside(path)
	return ReadTable(ctx, path, Reading{Memory: reading.Memory}, decimal)
}

// LeaveOut takes files that have another part in the run out of the sources.
func (s *Set) LeaveOut(reason string, files ...string) {
	paths, sizes := make(map[string]bool), make(map[int64]bool)
	var infos []os.FileInfo
	for _, file := range files {
		if path, err := filepath.Abs(file); err == nil {
			paths[path] = true
		}
		if info, err := os.Stat(file); err == nil {
			infos = append(infos, info)
			sizes[info.Size()] = true
		}
	}
	const few = 100 // of which it is seen, too, that one has several paths
	s.Sources = slices.DeleteFunc(s.Sources, func(source Source) bool {
		path, err := filepath.Abs(source.Path)
		same := err == nil && paths[path]
		if !same && len(infos) <= few && (source.Entry() != "" || sizes[source.Size]) {
			other, err := os.Stat(source.Path)
			same = err == nil && slices.ContainsFunc(infos,
				func(info os.FileInfo) bool { return os.SameFile(info, other) })
		}
		if same {
			s.PassedOver = append(s.PassedOver, PassedOver{Source: source.Name, Reason: reason})
		}
		return same
	})
}

// NoSourcesError says that nothing is to be read.
type NoSourcesError struct {
	Paths      []string // that were searched
	PassedOver []PassedOver
}

func (e *NoSourcesError) Error() string {
	if len(e.Paths) == 0 {
		return "the plan has no paths, and none were given"
	}
	text := ""
	for i, path := range e.Paths {
		if i > 0 {
			text += ", "
		}
		text += path
	}
	text += ": there is no source to read"
	const most = 5
	for i, p := range e.PassedOver {
		if i == most {
			text += fmt.Sprintf("\npassed over: %d more", len(e.PassedOver)-most)
			break
		}
		text += fmt.Sprintf("\npassed over: %s (%s)", p.Source, p.Reason)
	}
	return text
}
