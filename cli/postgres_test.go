package cli

import (
	"context"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// server connects to the server of LASTBLOCK_POSTGRES, which .ci/run starts, and
// returns the address without its password, which the program is given as users give it.
func server(t *testing.T) (address, password string, exec func(sql string) string) {
	t.Helper()
	text := os.Getenv("LASTBLOCK_POSTGRES")
	if text == "" {
		t.Skip("LASTBLOCK_POSTGRES is not set; .ci/postgres starts a server")
	}
	u, err := url.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	conn, err := pgconn.Connect(ctx, text)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(ctx) })
	password, _ = u.User.Password()
	u.User = url.User(u.User.Username())
	t.Setenv("PGPASSWORD", password)
	return u.String(), password, func(sql string) string {
		results, err := conn.Exec(ctx, sql).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		if last := results[len(results)-1]; len(last.Rows) > 0 {
			return string(last.Rows[0][0])
		}
		return ""
	}
}

var matchNumber = regexp.MustCompile(`^([a-z-]+,\d?,)\d+`)

// A query is as good a reference as a file with the same records.
func TestReconcileAgainstAQuery(t *testing.T) {
	address, _, exec := server(t)
	exec(`create temporary table mark (n int); drop table if exists clearing; create table clearing (pass_no text, posted date, amount numeric(12,2), settled boolean, text text);
		insert into clearing values ('00417', '2031-01-05', 40.00, true, 'Day pass'), ('417', '2031-01-06', 55.10, false, E'two\nlines, "quoted"'), ('P3', null, null, null, null)`)
	dir := t.TempDir()
	for name, text := range map[string]string{
		"here.csv": "pass_no,posted,amount,settled,text\n00417,05 Jan 2031,40,true,Day " +
			"pass\n417,2031-01-06,55.00,false,\"two\nlines, \"\"quoted\"\"\"\nP4,,1,,\n",
		"there.csv": "pass_no,posted,amount,settled,text\n00417,2031-01-05,40.00,true,Day " +
			"pass\n417,2031-01-06,55.10,false,\"two\nlines, \"\"quoted\"\"\"\nP3,,,,\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	var outcomes [2]string
	for i, against := range [][]string{{"--against", address, "--query", "select * from clearing order by pass_no;"},
		{"--against", "there.csv"}} {
		args := append([]string{"reconcile", "here.csv", "--key", "pass_no", "--total", "amount", "--out", "out.csv",
			"--replace"}, against...)
		stdout, stderr, code := runProgram(t, dir, "", args...)
		if code != ExitStop {
			t.Fatalf("it ends with %d: %s", code, stderr)
		}
		written, err := os.ReadFile(filepath.Join(dir, "out.csv"))
		if err != nil {
			t.Fatal(err)
		}
		for _, text := range []string{stdout, string(written)} { // up to where they stand
			for line := range strings.Lines(text) {
				if at := strings.Index(line, address); at >= 0 {
					line = line[:at]
				} else if at := strings.Index(line, "there.csv"); at >= 0 {
					line = line[:at]
				}
				line = matchNumber.ReplaceAllString(line, "$1") // it is that of a line, and a query has others
				if !strings.HasPrefix(line, "stop") && !strings.HasPrefix(line, "note") {
					outcomes[i] += strings.TrimSpace(line) + "\n"
				}
			}
		}
	}
	if outcomes[0] != outcomes[1] || !strings.Contains(outcomes[0], "0.10") {
		t.Errorf("against the query:\n%s\nagainst the file:\n%s", outcomes[0], outcomes[1])
	}
}

// What would write is refused, whatever it is dressed up as.
func TestAQueryOnlyReads(t *testing.T) {
	address, _, exec := server(t)
	exec(`drop table if exists untouched; create table untouched (n int); insert into untouched values (1), (2);
		create or replace function nibble() returns int language sql as 'delete from untouched returning n'`)
	for _, query := range []string{
		"delete from untouched returning n", "insert into untouched values (3) returning n",
		"with gone as (delete from untouched returning n) select * from gone",
		"select nibble()", "select 1; delete from untouched", "drop table untouched",
		"select set_config('transaction_read_only', 'off', true)", "update untouched set n = $1",
		"select n from nothing_there", "selec 1",
	} {
		_, stderr, code := runProgram(t, t.TempDir(), "", "collate", address, "--query", query)
		if code != ExitNotDone || !strings.Contains(stderr, "the database refuses the query") &&
			!strings.Contains(stderr, "the query ") {
			t.Errorf("%s: it ends with %d and says %q", query, code, stderr)
		}
	}
	if n := exec("select count(*) from untouched"); n != "2" {
		t.Errorf("%s rows are left of 2", n)
	}
}

// However many rows a query gives, they are read as they come.
func TestAQueryIsStreamed(t *testing.T) {
	address, _, _ := server(t)
	stdout, stderr, code := runProgram(t, t.TempDir(), "", "tieout", address,
		"--query", "select g as n, (g * 0.25)::numeric(12,2) as amount, repeat('x', 200) as text from "+
			"generate_series(1, 300000) g", "--total", "amount", "--memory", "32MB")
	// 300,000 × 300,001 / 2 × 0.25
	if code != ExitDone || !strings.Contains(stdout, "11,250,037,500.00") || !strings.Contains(stdout, "300,000") {
		t.Errorf("it ends with %d: %s%s", code, stdout, stderr)
	}
	_, stderr, code = runProgram(t, t.TempDir(), "", "collate", address, "--query",
		"select 1 / (9000 - g) as n, repeat('x', 100) as text from generate_series(1, 10000) g", "--out", "x.csv")
	if code != ExitNotDone || !strings.Contains(stderr, "division by zero") {
		t.Errorf("a query that fails half way ends with %d: %s", code, stderr)
	}
}

func TestPasswordsAreNeverShown(t *testing.T) {
	address, password, _ := server(t)
	withPassword := strings.Replace(address, "@", ":"+password+"@", 1)
	for _, args := range [][]string{
		{"collate", withPassword, "--query", "select 1"},
		{"reconcile", address, "--query", "select 1 as k", "--against", address + "?password=" + password,
			"--against-query", "select 1 as k", "--key", "k"},
	} {
		stdout, stderr, code := runProgram(t, t.TempDir(), "", args...)
		if code != ExitNotDone || !strings.Contains(stderr, "a password does not belong on a command line") ||
			strings.Contains(stdout+stderr, password) {
			t.Errorf("%v: it ends with %d and says %q", args[0], code, stderr)
		}
	}
	t.Setenv("PGPASSWORD", "wrong"+password)
	if _, stderr, code := runProgram(t, t.TempDir(), "", "collate", address, "--query",
		"select 1"); code != ExitNotDone || strings.Contains(stderr, password) ||
		!strings.Contains(stderr, "password file") {
		t.Errorf("a wrong password ends with %d and says %q", code, stderr)
	}
}

// An interrupt cancels the query on the server, which would else go on for nobody.
func TestAnInterruptCancelsTheQuery(t *testing.T) {
	address, password, query := server(t)
	const mark = "select 1 as k, pg_sleep(600)::text as interrupted_by_test"
	cmd := command(t, "rollup", address, "--query", mark, "--by", "k", "--sum", "k", "--quiet")
	cmd.Env = append(cmd.Environ(), "PGPASSWORD="+password)
	var complaints strings.Builder
	cmd.Stderr = &complaints
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	running := func() string {
		return query("select count(*) from pg_stat_activity where state = 'active' and query like " +
			"'%interrupted_by_test%' and pid <> pg_backend_pid()")
	}
	for deadline := time.Now().Add(20 * time.Second); running() == "0"; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatal("the query does not begin")
		}
	}
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Wait(); cmd.ProcessState.ExitCode() != ExitNotDone ||
		!strings.Contains(complaints.String(), "interrupted; nothing was written") {
		t.Errorf("it ends with %v: %s", err, complaints.String())
	}
	for deadline := time.Now().Add(20 * time.Second); running() != "0"; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatal("the query goes on")
		}
	}
}

// command is the built program, ready to be started.
func command(t *testing.T, args ...string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(builtProgram, args...)
	cmd.Dir = t.TempDir()
	return cmd
}

// What a database gave is sealed by the fingerprint of its records, and is asked for again.
func TestVerifyAsksADatabaseAgain(t *testing.T) {
	address, password, exec := server(t)
	exec(`drop table if exists sealed; create table sealed (doc text, debit numeric(12,2));
		insert into sealed values ('D1', 5.00), ('D2', 7.25)`)
	dir := t.TempDir()
	plan := "version = 1\n[read]\npaths = [\"" + address + "\"]\nquery = \"select * from sealed\"\n[tieout]\n" +
		"total = \"debit\"\n[rollup]\nby = \"doc\"\nsum = \"debit\"\n[[reconcile]]\nname = \"itself\"\nagainst = \"" +
		address + "\"\nagainst-query = \"select * from sealed order by doc desc\"\nkey = \"doc\"\n"
	if err := os.WriteFile(filepath.Join(dir, "lastblock.toml"), []byte(plan), 0o644); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna", "--period", "2031-01")
	if code != ExitDone {
		t.Fatalf("it ends with %d: %s%s", code, stdout, stderr)
	}
	block, err := os.ReadFile(filepath.Join(dir, "blocks", "0001-2031-01.json"))
	if err != nil || strings.Contains(string(block), password) ||
		!strings.Contains(string(block), `"query":"select * from sealed"`) ||
		!strings.Contains(string(block), `"query":"select * from sealed order by doc desc"`) {
		t.Errorf("%v: the block is %s", err, block)
	}
	for _, c := range []struct {
		sql, state string
		code       int
	}{
		{"select 1", "untouched", ExitDone},
		{"delete from sealed; insert into sealed values ('D2', 7.25), ('D1', 5.00)", "untouched", ExitDone},
		{"update sealed set debit = 7.26 where doc = 'D2'", "changed", ExitStop},
	} {
		exec(c.sql)
		stdout, stderr, code := runProgram(t, dir, "", "verify", "--sources", "--json")
		if code != c.code || !strings.Contains(stdout, `"role": "source", "state": "`+c.state+`"`) ||
			!strings.Contains(stdout, `"role": "reference", "state": "`+c.state+`"`) {
			t.Errorf("after %s it ends with %d: %s%s", c.sql, code, stdout, stderr)
		}
	}
}
