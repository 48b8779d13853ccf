// Package postgres reads what a query of a PostgreSQL database gives as records: row
// by row as they come, in a transaction that only reads.
package postgres

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"lastblock/core/format/delimited"
	"lastblock/core/record"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgconn/ctxwatch"
	"github.com/jackc/pgx/v5/pgtype"
)

// Address is where a database is, without what is secret.
type Address struct {
	text string
	// plain says that the address allows a connection without TLS, with whatever goes over it.
	plain bool
	// Name is how results call what is read from it: postgres://user@host:port/name.
	Name string
}

// ErrPassword says that a password stands in an address.
var ErrPassword = errors.New("a password does not belong on a command line or into a plan, where others can read " +
	"it; put it into PGPASSWORD or the password file (~/.pgpass)")

var errNoAddress = errors.New("this is no address of a database, which is postgres://user@host:port/name")

// IsAddress tells whether a text is meant for the address of a database, in whatever
// spelling.
func IsAddress(text string) bool {
	text = strings.ToLower(strings.TrimSpace(text))
	return strings.HasPrefix(text, "postgres:") || strings.HasPrefix(text, "postgresql:")
}

var (
	passwordWord = regexp.MustCompile(`(?i)(password[a-z]*\s*(?:=|%3d)\s*)("[^"]*"|'[^']*'|[^&\s'"]+)`)
	passwordPart = regexp.MustCompile(`(?i)(postgres(?:ql)?:/*[^:@/\n]*):[^@\n]*@`)
)

// HoldsPassword tells whether a password stands in a text that may be an address.
func HoldsPassword(text string) bool {
	return passwordWord.MatchString(text) || passwordPart.MatchString(text)
}

// Hide takes passwords of addresses out of a text, so that it can be shown.
func Hide(text string) string {
	return passwordPart.ReplaceAllString(passwordWord.ReplaceAllString(text, "${1}…"), "${1}:…@")
}

// ParseAddress reads an address. A password in it is refused, since it would be seen.
func ParseAddress(text string) (Address, error) {
	text = strings.TrimSpace(text)
	if HoldsPassword(text) {
		return Address{}, ErrPassword
	}
	u, err := url.Parse(text)
	if err != nil || u.Opaque != "" {
		return Address{}, errNoAddress
	}
	if u.Scheme = strings.ToLower(u.Scheme); u.Scheme != "postgres" && u.Scheme != "postgresql" {
		return Address{}, errNoAddress
	}
	parameters, err := url.ParseQuery(u.RawQuery)
	if err != nil {
		return Address{}, errNoAddress
	}
	for name := range parameters {
		if strings.HasSuffix(strings.ToLower(name), "password") {
			return Address{}, ErrPassword
		}
	}
	if _, has := u.User.Password(); has || strings.Contains(u.User.Username(), ":") {
		return Address{}, ErrPassword
	}
	u.Fragment = ""
	host, err := hostOf(u, parameters)
	if err != nil {
		return Address{}, err
	}
	a := Address{text: u.String(), plain: parameters.Get(tlsWord) == withoutTLS}
	if host == "" { // that of the environment, if it says one
		if config, err := pgconn.ParseConfig(a.text); err == nil && !isLocal(config.Host) {
			host = net.JoinHostPort(config.Host, strconv.Itoa(int(config.Port)))
		}
	}
	name := url.URL{Scheme: u.Scheme, User: u.User, Host: host, Path: u.Path}
	a.Name = name.String()
	return a, nil
}

// The parameter that says whether TLS is used, and its word for no.
const (
	tlsWord    = "sslmode"
	withoutTLS = "disable"
)

// hostOf is the host of an address with its port, "" for one that the address does not say, or a socket of this
// machine. Where anything that tells the database stands twice, what is shown would not be what is read.
func hostOf(u *url.URL, parameters url.Values) (string, error) {
	for word, before := range map[string]string{"host": u.Hostname(), "hostaddr": u.Hostname(), "port": u.Port(),
		"user": u.User.Username(), "dbname": strings.Trim(u.Path, "/"), "database": strings.Trim(u.Path, "/")} {
		values := parameters[word]
		if len(values) > 1 || len(values) == 1 && before != "" {
			return "", fmt.Errorf("the address of the database says its %s twice; say it once", word)
		}
	}
	host, port := parameters.Get("host"), parameters.Get("port")
	if strings.Contains(u.Host+host+parameters.Get("hostaddr"), ",") {
		return "", errors.New("the address of the database names several hosts; name one")
	}
	if host == "" {
		host = parameters.Get("hostaddr")
	}
	switch {
	case host == "" && port == "", strings.HasPrefix(host, "/"), strings.HasPrefix(host, "@"):
		return u.Host, nil
	case host == "":
		return net.JoinHostPort(u.Hostname(), port), nil
	case port == "":
		return host, nil
	}
	return net.JoinHostPort(host, port), nil
}

// isLocal tells whether a host is this machine.
func isLocal(host string) bool {
	ip := net.ParseIP(host)
	return host == "" || strings.EqualFold(host, "localhost") || strings.HasPrefix(host, "/") ||
		strings.HasPrefix(host, "@") || ip != nil && ip.IsLoopback()
}

// FromPlan is an address as it counts where it stands in a plan, which may be somebody else's: that no TLS is needed to
// another machine is said on the command line alone.
func FromPlan(text string) string {
	u, err := url.Parse(strings.TrimSpace(text))
	if err != nil {
		return text
	}
	parameters, err := url.ParseQuery(u.RawQuery)
	if err != nil || !parameters.Has(tlsWord) {
		return text
	}
	if host, err := hostOf(u, parameters); err == nil && isLocal((&url.URL{Host: host}).Hostname()) {
		return text
	}
	if parameters.Get(tlsWord) == withoutTLS {
		parameters.Del(tlsWord)
		u.RawQuery = parameters.Encode()
	}
	return u.String()
}

// keepSafe has the password of the environment not go to another machine without TLS, unless the address allows it. It
// tells whether TLS is needed for that.
func (a *Address) keepSafe(config *pgconn.Config) (needsTLS bool, err error) {
	if config.Password == "" || isLocal(config.Host) || a.plain {
		return false, nil
	}
	ways := []*pgconn.FallbackConfig{{Host: config.Host, Port: config.Port, TLSConfig: config.TLSConfig}}
	ways = slices.DeleteFunc(append(ways, config.Fallbacks...),
		func(way *pgconn.FallbackConfig) bool { return way.TLSConfig == nil })
	if len(ways) == 0 {
		return true, fmt.Errorf("%s: %w", a.Name, errNoTLS)
	}
	config.Host, config.Port, config.TLSConfig, config.Fallbacks = ways[0].Host, ways[0].Port, ways[0].TLSConfig,
		ways[1:]
	return true, nil
}

var errNoTLS = errors.New("no password is sent to another machine without TLS; where that is meant, say it on the " +
	"command line, with ?" + tlsWord + "=" + withoutTLS + " behind the address")

// Reader reads the rows of a query.
type Reader struct {
	head   record.Head
	ctx    context.Context
	cancel context.CancelFunc
	conn   *pgconn.PgConn
	rows   *pgconn.ResultReader // nil before the query runs
	flags  []bool               // columns that are true or false
	number int                  // of the next row, from 1
	done   bool
	text   []byte
}

// cancelPatience is how long the server has to end a query that was cancelled, before the
// connection is given up.
const cancelPatience = time.Second

// Open connects to a database and has a query prepared, which is a single select. The
// password, if one is needed, is that of the environment or of the password file, as
// for all programs that speak to PostgreSQL. When ctx ends, the query is cancelled on the
// server.
func Open(ctx context.Context, address Address, query string) (*Reader, error) {
	config, err := pgconn.ParseConfig(address.text)
	if err != nil {
		return nil, fmt.Errorf("the address of the database: %s", Hide(err.Error()))
	}
	needsTLS, err := address.keepSafe(config)
	if err != nil {
		return nil, err
	}
	config.BuildContextWatcherHandler = func(conn *pgconn.PgConn) ctxwatch.Handler {
		return &pgconn.CancelRequestContextWatcherHandler{Conn: conn, DeadlineDelay: cancelPatience}
	}
	config.RuntimeParams["application_name"] = "lastblock"
	config.RuntimeParams["datestyle"] = "ISO"
	config.RuntimeParams["default_transaction_read_only"] = "on"
	r := &Reader{number: 1}
	r.ctx, r.cancel = context.WithCancel(ctx)
	if r.conn, err = pgconn.ConnectConfig(r.ctx, config); err != nil {
		r.cancel()
		if needsTLS && strings.Contains(err.Error(), "server refused TLS connection") {
			return nil, fmt.Errorf("%w: %w", err, errNoTLS)
		}
		return nil, fmt.Errorf("%w; see that the database runs, and that the password is in PGPASSWORD or the "+
			"password file", err)
	}
	if err := r.prepare(query); err != nil {
		r.Close()
		return nil, err
	}
	return r, nil
}

// prepare begins a transaction and finds out which columns the query has.
func (r *Reader) prepare(query string) error {
	const begin = "begin transaction isolation level repeatable read, read only"
	if _, err := r.conn.Exec(r.ctx, begin).ReadAll(); err != nil {
		return err
	}
	described, err := r.conn.Prepare(r.ctx, "", strings.TrimRight(strings.TrimSpace(query), ";"), nil)
	if err != nil {
		return queryError(err)
	}
	if len(described.Fields) == 0 {
		return errors.New("the query gives no columns; a select is needed")
	}
	if len(described.ParamOIDs) > 0 {
		return errors.New("the query has parameters ($1), for which there are no values")
	}
	var names []string
	for _, f := range described.Fields {
		names = append(names, f.Name)
		r.flags = append(r.flags, f.DataTypeOID == pgtype.BoolOID)
	}
	r.head = record.Head{Format: "postgresql", Line: 1, Header: []byte(strings.Join(names, ","))}
	r.head.NameColumns(names)
	return nil
}

// queryError says what is wrong with a query, and where.
func queryError(err error) error {
	var failed *pgconn.PgError
	if !errors.As(err, &failed) {
		return err
	}
	text := fmt.Sprintf("the database refuses the query: %s (%s)", failed.Message, failed.Code)
	if failed.Position > 0 {
		text += fmt.Sprintf(", at character %d", failed.Position)
	}
	if failed.Hint != "" {
		text += "; " + failed.Hint
	}
	return errors.New(text)
}

// Head tells which columns there are.
func (r *Reader) Head() *record.Head { return &r.head }

// Next makes a batch of the next rows; the error is io.EOF behind the last one. Values
// are texts as PostgreSQL writes them, dates as in ISO 8601, and what is null is blank.
func (r *Reader) Next(b *record.Batch) error {
	if r.done {
		return io.EOF
	}
	if r.rows == nil {
		r.rows = r.conn.ExecPrepared(r.ctx, "", nil, nil, nil)
	}
	const batchBytes = 256 << 10
	r.text = r.text[:0]
	b.Reset(len(r.flags))
	b.Quoted, b.FirstLine = true, r.number
	for len(r.text) < batchBytes {
		if !r.rows.NextRow() {
			r.done = true
			if _, err := r.rows.Close(); err != nil {
				return queryError(err)
			}
			break
		}
		r.add(b, r.rows.Values())
	}
	b.Data, b.Last = r.text, r.done
	return nil
}

// add appends a row.
func (r *Reader) add(b *record.Batch, values [][]byte) {
	b.Bounds = append(b.Bounds, uint32(len(r.text))-1)
	for i, value := range values {
		if i > 0 {
			r.text = append(r.text, ',')
		}
		if r.flags[i] && len(value) == 1 {
			if value = []byte("false"); r.rows.Values()[i][0] == 't' {
				value = []byte("true")
			}
		}
		r.text = delimited.AppendField(r.text, value, ',')
		b.Bounds = append(b.Bounds, uint32(len(r.text)))
	}
	r.text = append(r.text, '\n')
	b.Rows++
	r.number++
}

// Close ends the transaction and the connection.
func (r *Reader) Close() {
	if r.conn != nil && !r.done && r.rows != nil {
		r.cancel() // the rest of the rows is not waited for
	}
	if r.conn != nil {
		r.conn.Close(r.ctx)
	}
	r.cancel()
}
