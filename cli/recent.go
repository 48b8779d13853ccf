package cli

import (
	"cmp"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/finding"

	"github.com/zeebo/xxh3"
)

// What a command has found is kept in the user's own cache folder, readable for
// nobody else, so that decide knows a finding by its id: one file for each
// command and set of paths, the newest ones. Nothing depends on it but decide;
// where there is no such folder, decide looks at the plan again, or at a file of
// --findings.
const (
	recentFolder = "lastblock"
	recentKept   = 20
	recentMost   = 10_000 // findings of one run
	seenKept     = 100    // plans whose files were hashed
)

// seenFile is the file of hashes of a plan's files that were seen, "" where there is no folder for it.
func seenFile(plan string) string {
	folder, err := os.UserCacheDir()
	full, errFull := filepath.Abs(plan)
	if err != nil || errFull != nil || plan == "" {
		return ""
	}
	folder = filepath.Join(folder, recentFolder)
	if os.MkdirAll(folder, 0o700) != nil {
		return ""
	}
	keepNewest(folder, "seen-*.csv", seenKept)
	return filepath.Join(folder, fmt.Sprintf("seen-%016x.csv", xxh3.HashString(full)))
}

// keepNewest takes all files but the newest ones of a pattern away.
func keepNewest(folder, pattern string, kept int) {
	files := newestFirst(folder, pattern)
	for _, old := range files[min(len(files), kept):] {
		os.Remove(old)
	}
}

// remember keeps what was found by a command, told by its name and its paths. Where that cannot be written
// nothing is lost that --findings does not keep.
func remember(run []string, findings []finding.Finding) {
	findings = slices.DeleteFunc(slices.Clone(findings),
		func(f finding.Finding) bool { return f.Severity == finding.Note })
	folder, err := os.UserCacheDir()
	here, errHere := os.Getwd()
	if err != nil || errHere != nil || len(findings) == 0 {
		return
	}
	folder = filepath.Join(folder, recentFolder)
	if os.MkdirAll(folder, 0o700) != nil {
		return
	}
	data, err := json.Marshal(findings[:min(len(findings), recentMost)])
	if err != nil {
		return
	}
	name := fmt.Sprintf("found-%016x.json", xxh3.HashString(here+"\x00"+strings.Join(run, "\x00")))
	file, err := os.CreateTemp(folder, ".found-*")
	if err != nil {
		return
	}
	_, err = file.Write(data)
	if file.Close() != nil || err != nil || os.Rename(file.Name(), filepath.Join(folder, name)) != nil {
		os.Remove(file.Name())
		return
	}
	keepNewest(folder, recentPattern, recentKept)
}

// recentPattern matches the files in which findings are kept.
const recentPattern = "found-*.json"

// newestFirst are the files of a pattern, the newest first.
func newestFirst(folder, pattern string) []string {
	files, err := filepath.Glob(filepath.Join(folder, pattern))
	if err != nil {
		return nil
	}
	changed := make(map[string]int64)
	for _, file := range files {
		if info, err := os.Stat(file); err == nil {
			changed[file] = info.ModTime().UnixNano()
		}
	}
	slices.SortFunc(files, func(a, b string) int {
		return cmp.Or(cmp.Compare(changed[b], changed[a]),
			cmp.Compare(a, b))
	})
	return files
}

// recalled are the findings that are kept, those of the newest run first.
func recalled() []finding.Finding {
	folder, err := os.UserCacheDir()
	if err != nil {
		return nil
	}
	var all []finding.Finding
	for _, file := range newestFirst(filepath.Join(folder, recentFolder), recentPattern) {
		data, err := os.ReadFile(file)
		var some []finding.Finding
		if err == nil && json.Unmarshal(data, &some) == nil {
			all = append(all, some...)
		}
	}
	return all
}
