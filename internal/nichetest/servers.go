package nichetest

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/standin"
)

// Server is a CalDAV server with an account that has the calendars Work and Family.
type Server struct {
	Name    string
	Address string // where an account is linked
	User    string
	Key     string
	Home    string // the path below which the calendars lie
	Work    string // the last part of a calendar's path
	Family  string
	// Rekey restarts the server with another password, and returns that; nil where it
	// asks for none.
	Rekey func() string
}

// EachServer runs a test against every server: those that start at once and the
// stand-in, and with NICHE_SERVERS=all also the big ones, where the machine has them.
func EachServer(t *testing.T, test func(t *testing.T, s Server)) {
	for _, open := range []func(testing.TB) Server{Radicale, Xandikos, StandIn, DAViCal, Cyrus, SOGo} {
		name := runtime.FuncForPC(reflect.ValueOf(open).Pointer()).Name()
		t.Run(name[strings.LastIndex(name, ".")+1:], func(t *testing.T) { test(t, open(t)) })
	}
}

// FreeAddress returns an address on which nothing listens.
func FreeAddress(t testing.TB) string {
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { require.NoError(t, free.Close()) }()
	return free.Addr().String()
}

// Process is a program that serves on an address.
type Process struct {
	T       testing.TB
	Address string
	Path    string
	Args    []string
	Log     io.Writer // what it says on its standard error goes there

	cmd   *exec.Cmd
	ended chan struct{}
}

// Run starts a program that serves on an address, and waits until it listens. It runs
// until the test ends, unless it is stopped.
func Run(t testing.TB, address, path string, args ...string) *Process {
	p := &Process{T: t, Address: address, Path: path, Args: args}
	p.Start()
	return p
}

// Start starts the process, and waits until it listens.
func (p *Process) Start() {
	p.cmd = exec.Command(p.Path, p.Args...)
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	p.cmd.Stderr = p.Log
	require.NoError(p.T, p.cmd.Start())
	p.ended = make(chan struct{})
	go func(cmd *exec.Cmd, ended chan struct{}) { _ = cmd.Wait(); close(ended) }(p.cmd, p.ended)
	p.T.Cleanup(func() { p.Stop() })
	Listens(p.T, p.Address)
}

// Stop asks the process to end, waits until it has, and returns its exit code.
func (p *Process) Stop() (code int) {
	if p.cmd == nil {
		return 0
	}
	_ = p.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-p.ended:
	case <-time.After(time.Minute):
		p.T.Error(p.Path + " does not stop")
	}
	code = p.cmd.ProcessState.ExitCode()
	p.Kill()
	return code
}

// Kill ends the process, and all that it started, at once.
func (p *Process) Kill() {
	if p.cmd == nil {
		return
	}
	_ = syscall.Kill(-p.cmd.Process.Pid, syscall.SIGKILL)
	<-p.ended
	p.cmd = nil
}

// Listens waits until something listens on an address.
func Listens(t testing.TB, address string) {
	for range 6000 {
		conn, err := net.DialTimeout("tcp", address, time.Second)
		if err == nil {
			require.NoError(t, conn.Close())
			return
		}
		require.ErrorIs(t, err, syscall.ECONNREFUSED)
		time.Sleep(10 * time.Millisecond) // between two looks at whether it listens
	}
	require.Fail(t, "nothing listens on "+address)
}

// Refuses waits until nothing listens on an address any more.
func Refuses(t testing.TB, address string) {
	for range 6000 {
		conn, err := net.DialTimeout("tcp", address, time.Second)
		if err != nil {
			return
		}
		require.NoError(t, conn.Close())
		time.Sleep(10 * time.Millisecond) // between two looks at whether it listens
	}
	require.Fail(t, address+" goes on listening")
}

// oneByOne keeps no connections: a small server has one worker for each.
var oneByOne = &http.Client{Transport: &http.Transport{DisableKeepAlives: true}}

// Send asks a server for something past Niche, as its owner's own program would, and
// returns the status and the body of its answer.
func (s Server) Send(t testing.TB, method, path, body string) (status int, answer string) {
	req, err := http.NewRequestWithContext(t.Context(), method, strings.TrimSuffix(origin(s.Address), "/")+path, strings.NewReader(body))
	require.NoError(t, err)
	req.URL.Path, req.URL.RawPath = unescape(path), path
	req.SetBasicAuth(s.User, s.Key)
	req.Header.Set("Content-Type", map[bool]string{true: "text/calendar; charset=utf-8", false: "application/xml; charset=utf-8"}[method == http.MethodPut])
	res, err := oneByOne.Do(req)
	require.NoError(t, err)
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	return res.StatusCode, string(text)
}

// Do asks for something that must be granted.
func (s Server) Do(t testing.TB, method, path, body string) {
	status, answer := s.Send(t, method, path, body)
	require.Less(t, status, 300, "%s %s: %s", method, path, answer)
}

func origin(address string) string {
	parts := strings.SplitN(address, "/", 4)
	return strings.Join(parts[:3], "/")
}

func unescape(path string) string {
	req, err := http.NewRequest(http.MethodGet, "http://x"+path, nil)
	if err != nil {
		return path
	}
	return req.URL.Path
}

func mkcalendar(name string) string {
	return `<c:mkcalendar xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><d:set><d:prop><d:displayname>` + name + `</d:displayname></d:prop></d:set></c:mkcalendar>`
}

// Make makes the calendars Work and Family in a server's home.
func (s Server) Make(t testing.TB) Server {
	s.Work, s.Family = "work", "family"
	s.Do(t, "MKCALENDAR", s.Home+"work/", mkcalendar("Work"))
	s.Do(t, "MKCALENDAR", s.Home+"family/", mkcalendar("Family"))
	return s
}

// Behind returns the server as it is reached through a proxy.
func (s Server) Behind(proxy string) Server {
	s.Address = proxy + strings.TrimPrefix(s.Address, origin(s.Address))
	return s
}

// Radicale runs a real server, with sign-in.
func Radicale(t testing.TB) Server {
	folder, address, path := t.TempDir(), FreeAddress(t), Needs(t, "radicale")
	users := filepath.Join(folder, "users")
	start := func(key string) *Process {
		require.NoError(t, os.WriteFile(users, []byte("bryn:"+key+"\n"), 0o600))
		return Run(t, address, path, "--server-hosts", address, "--auth-type", "htpasswd", "--auth-htpasswd-filename", users,
			"--auth-htpasswd-encryption", "plain", "--storage-filesystem-folder", filepath.Join(folder, "data"))
	}
	s := Server{Name: "Radicale", Address: "http://" + address, User: "bryn", Home: "/bryn/"}
	return s.started(start).Make(t)
}

// started starts the server with a password, and again with another.
func (s Server) started(start func(key string) *Process) Server {
	p := start(Key)
	s.Key = Key
	s.Rekey = func() string {
		p.Stop()
		const other = "another-secret"
		p = start(other)
		return other
	}
	return s
}

// Xandikos runs a real server, which asks for no sign-in.
func Xandikos(t testing.TB) Server {
	folder, address := t.TempDir(), FreeAddress(t)
	host, port, _ := strings.Cut(address, ":")
	Run(t, address, Needs(t, "xandikos"), "-d", folder, "-l", host, "-p", port, "--current-user-principal", "/bryn/", "--autocreate")
	return Server{Name: "Xandikos", Address: "http://" + address, User: "bryn", Key: Key, Home: "/bryn/calendars/"}.Make(t)
}

// big runs a server that takes a while to start, by its script.
func big(t testing.TB, name, program string) Server {
	switch _, err := os.Stat(program); {
	case os.Getenv("NICHE_SERVERS") != "all":
		t.Skip("only make test-servers goes to " + name)
	case err != nil:
		t.Skip(name + " is not on this machine")
	case os.Getuid() != 0:
		t.Skip(name + " runs as a user of its own, so only root can start it")
	}
	_, file, _, _ := runtime.Caller(0)
	script := filepath.Join(filepath.Dir(file), "../../scripts/servers", strings.ToLower(name))
	folder, err := os.MkdirTemp("", "niche-"+name) // short, and open to the server's own user
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, os.RemoveAll(folder)) })
	address := FreeAddress(t)
	_, port, _ := strings.Cut(address, ":")
	s := Server{Name: name, Address: "http://" + address, User: "bryn"}
	return s.started(func(key string) *Process { return Run(t, address, script, folder, port, key) })
}

// DAViCal runs a real server on Apache and PostgreSQL.
func DAViCal(t testing.TB) Server {
	s := big(t, "DAViCal", "/usr/share/davical/htdocs/caldav.php")
	s.Home, s.Work, s.Family = "/caldav.php/bryn/", "work", "family"
	return s
}

// Cyrus runs a real server, of mail and calendars.
func Cyrus(t testing.TB) Server {
	s := big(t, "Cyrus", "/usr/sbin/cyrmaster")
	s.Home = "/dav/calendars/user/bryn/"
	// The account is made when its owner first signs in for mail, on the port after.
	host, port, err := net.SplitHostPort(HostAt(s.Address))
	require.NoError(t, err)
	n, err := strconv.Atoi(port)
	require.NoError(t, err)
	mail := net.JoinHostPort(host, strconv.Itoa(n+1))
	Listens(t, mail)
	conn, err := net.Dial("tcp", mail)
	require.NoError(t, err)
	_, err = fmt.Fprintf(conn, "a login %s %s\r\nb logout\r\n", s.User, s.Key)
	require.NoError(t, err)
	answer, err := io.ReadAll(conn)
	require.NoError(t, err)
	require.Contains(t, string(answer), "a OK")
	require.NoError(t, conn.Close())
	return s.Make(t)
}

// SOGo runs a real server on PostgreSQL, behind a web server as it is meant to be: it
// closes connections without saying so.
func SOGo(t testing.TB) Server {
	s := big(t, "SOGo", "/usr/sbin/sogod")
	s.Home = "/SOGo/dav/bryn/Calendar/"
	s.Address = (&Trouble{}).Before(t, s.Address) + "/SOGo/dav/bryn/"
	return s.Make(t)
}

// StandIn runs the calendar host of the demo.
func StandIn(t testing.TB) Server {
	cloud, err := standin.Open("", time.Now, []standin.Account{{User: "bryn", Password: Key, Zone: "UTC", Calendars: []standin.Calendar{{ID: "work", Name: "Work"}, {ID: "family", Name: "Family"}}}})
	require.NoError(t, err)
	web := httptest.NewServer(cloud.Handler())
	t.Cleanup(web.Close)
	return Server{Name: "StandIn", Address: web.URL, User: "bryn", Key: Key, Home: "/dav/calendars/bryn/", Work: "work", Family: "family"}
}

// EventText is an event of an hour as its owner's program writes it.
func EventText(uid, start string) string {
	return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\nBEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260301T000000Z\r\n" +
		"DTSTART:" + start + "\r\nDURATION:PT1H\r\nSUMMARY:Something\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
}
