package cli

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
)

// builtProgram is the built program that the tests run.
var builtProgram string

func TestMain(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "as-program" {
		// Nobody calls it so. But without a way from here to Main, the linker
		// would leave the program out of the test, and go test would take a
		// cached result for good when the program has changed.
		os.Exit(Main(os.Args[2:]))
	}
	dir, err := os.MkdirTemp("", "lastblock-test")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	builtProgram = filepath.Join(dir, "lastblock")
	build := exec.Command("go", "build", "-o", builtProgram, "..")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building: %v\n%s", err, out)
		os.Exit(1)
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// TestSessions runs the sessions in testdata. Each reads like one at a
// terminal:
//
//	-- in/a.csv --         a file, up to the next such line or command
//	a,b
//	$ lastblock ...        a command, and below it all of what it prints on
//	2 rows                 standard output
//	? no such column       a text that standard error holds
//	exit 2                 the exit code, where it is not 0
//	$ cat in/a.csv         shows a file, $ ls in a folder
//
// Today's date is TODAY, and the SHA-256 and seals of files, in which that may be, are SHA-256 and SEAL. The ids
// and states of findings are left out of what a command prints; in a command {id KIND} is the id of the first
// finding of a kind that was printed last.
//
// Lines that begin with # are comments; \r, \t, \0 and \xe9 in a file are bytes.
func TestSessions(t *testing.T) {
	sessions, err := filepath.Glob("testdata/*.txt")
	if err != nil || len(sessions) == 0 {
		t.Fatalf("no sessions: %v", err)
	}
	for _, path := range sessions {
		t.Run(strings.TrimSuffix(filepath.Base(path), ".txt"), func(t *testing.T) {
			t.Parallel()
			text, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			(&session{t: t, dir: t.TempDir(), name: path}).run(string(text))
		})
	}
}

// session is the state of one session.
type session struct {
	t    *testing.T
	dir  string
	name string

	at      string // line of the command
	stdout  string
	printed string // by the last lastblock that printed ids
	stderr  string
	code    int
	want    strings.Builder
	wantErr []string
	exit    int

	file  string
	lines strings.Builder
}

func (s *session) run(text string) {
	for n, line := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
		switch {
		case strings.HasPrefix(line, "# "):
		case strings.HasPrefix(line, "-- ") && strings.HasSuffix(line, " --"):
			s.finish()
			s.file = strings.TrimSuffix(strings.TrimPrefix(line, "-- "), " --")
		case strings.HasPrefix(line, "$ "):
			s.finish()
			s.at = fmt.Sprintf("%s:%d: %s", s.name, n+1, line)
			s.command(strings.TrimPrefix(line, "$ "))
		case s.at != "" && strings.HasPrefix(line, "? "):
			s.wantErr = append(s.wantErr, strings.TrimPrefix(line, "? "))
		case s.at != "" && strings.HasPrefix(line, "exit "):
			fmt.Sscanf(line, "exit %d", &s.exit)
		case s.at != "":
			fmt.Fprintln(&s.want, line)
		default:
			fmt.Fprintln(&s.lines, line)
		}
	}
	s.finish()
}

// finish writes the file, or checks the command, that ends here.
func (s *session) finish() {
	if s.file != "" {
		path := filepath.Join(s.dir, s.file)
		content := strings.NewReplacer(`\r`, "\r", `\t`, "\t", `\0`, "\x00", `\xe9`, "\xe9", `\xef\xbb\xbf`,
			"\ufeff").Replace(s.lines.String())
		content = strings.TrimSuffix(content, "\\\n") // a last line without its end
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			s.t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			s.t.Fatal(err)
		}
	}
	if s.at != "" {
		if want := strings.TrimRight(s.want.String(), "\n"); strings.TrimRight(s.stdout, "\n") != want {
			s.t.Errorf("%s\nprints:\n%s\nwant:\n%s\nstandard error:\n%s", s.at, s.stdout, want, s.stderr)
		}
		for _, want := range s.wantErr {
			if !strings.Contains(s.stderr, want) {
				s.t.Errorf("%s\nstandard error does not hold %q:\n%s", s.at, want, s.stderr)
			}
		}
		if s.code != s.exit {
			s.t.Errorf("%s\nexit code is %d, want %d\n%s", s.at, s.code, s.exit, s.stderr)
		}
	}
	s.file, s.at, s.exit, s.wantErr = "", "", 0, nil
	s.lines.Reset()
	s.want.Reset()
}

// printedID and documentID are how the ids of findings are printed.
var (
	printedID  = regexp.MustCompile(`(?m)  id [0-9a-z]{8}$`)
	documentID = regexp.MustCompile(`"id":"[0-9a-z]{8}",|,"state":"[0-9a-f]{1,16}"`)
	wantedID   = regexp.MustCompile(`\{id ([a-z-]+)\}`)

	fullSeal  = regexp.MustCompile(`\b[0-9a-f]{64}\b`)
	shortSeal = regexp.MustCompile(`\b[0-9a-f]{4} [0-9a-f]{4} [0-9a-f]{4}\b`)
	timeOfDay = regexp.MustCompile(`TODAY [0-9]{2}:[0-9]{2}`)
)

// idOf is the id of the first finding of a kind that was printed last.
func (s *session) idOf(kind string) string {
	found := regexp.MustCompile(`(?m)^\w+ +` + kind + ` .*  id ([0-9a-z]{8})$`).FindStringSubmatch(s.printed)
	if found == nil {
		s.t.Fatalf("%s: no finding of kind %s was printed before", s.at, kind)
	}
	return found[1]
}

func (s *session) command(line string) {
	line = wantedID.ReplaceAllStringFunc(line,
		func(text string) string { return s.idOf(wantedID.FindStringSubmatch(text)[1]) })
	words := splitWords(line)
	var stdin string
	if n := len(words); n > 2 && words[n-2] == "<" {
		content, err := os.ReadFile(filepath.Join(s.dir, words[n-1]))
		if err != nil {
			s.t.Fatal(err)
		}
		stdin, words = string(content), words[:n-2]
	}
	switch words[0] {
	case "cat":
		content, err := os.ReadFile(filepath.Join(s.dir, words[1]))
		s.stdout, s.stderr, s.code = string(content), fmt.Sprint(err), 0
		if err != nil {
			s.code = 1
		}
	case "ls":
		entries, err := os.ReadDir(filepath.Join(s.dir, words[1]))
		if err != nil {
			s.t.Fatal(err)
		}
		var names strings.Builder
		for _, e := range entries {
			fmt.Fprintln(&names, e.Name())
		}
		s.stdout, s.stderr, s.code = names.String(), "", 0
	case "mv":
		if err := os.Rename(filepath.Join(s.dir, words[1]), filepath.Join(s.dir, words[2])); err != nil {
			s.t.Fatal(err)
		}
		s.stdout, s.stderr, s.code = "", "", 0
	case "lastblock":
		s.stdout, s.stderr, s.code = runProgram(s.t, s.dir, stdin, words[1:]...)
		if printedID.MatchString(s.stdout) {
			s.printed = s.stdout
		}
		s.stdout = documentID.ReplaceAllString(printedID.ReplaceAllString(s.stdout, ""), "")
		s.stdout = strings.ReplaceAll(s.stdout, time.Now().UTC().Format(time.DateOnly), "TODAY")
		s.stdout = shortSeal.ReplaceAllString(fullSeal.ReplaceAllString(s.stdout, "SHA-256"), "SEAL")
		s.stdout = timeOfDay.ReplaceAllString(s.stdout, "TODAY TIME")
	default:
		s.t.Fatalf("%s: there is no such command", s.at)
	}
}

// runProgram runs the built program in a folder.
func runProgram(t *testing.T, dir, stdin string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(builtProgram, args...)
	cmd.Dir = dir
	cmd.Stdin = strings.NewReader(stdin)
	cmd.Env = append(os.Environ(), "XDG_CACHE_HOME="+cacheOf(dir))
	var out, complaints bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaints
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return out.String(), complaints.String(), cmd.ProcessState.ExitCode()
}

// splitWords splits a command line as a shell does, as far as the sessions and
// the examples need it: quotes of both kinds.
func splitWords(line string) []string {
	var words []string
	var word strings.Builder
	quote, inWord := rune(0), false
	for _, r := range line {
		switch {
		case quote != 0 && r == quote:
			quote = 0
		case quote == 0 && (r == '\'' || r == '"'):
			quote, inWord = r, true
		case quote == 0 && r == ' ':
			if inWord {
				words = append(words, word.String())
			}
			word.Reset()
			inWord = false
		default:
			word.WriteRune(r)
			inWord = true
		}
	}
	if inWord {
		words = append(words, word.String())
	}
	return words
}

// cacheOf is where what was found in a folder is kept, for no other one.
func cacheOf(dir string) string {
	return filepath.Join(filepath.Dir(builtProgram), "cache", strings.ReplaceAll(filepath.ToSlash(dir), "/", "_"))
}
