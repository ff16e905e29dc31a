// Package local runs a private PostgreSQL of its own on 127.0.0.1, for the demo and the tests: a data folder,
// a free port, a generated password, and the server as a child process that ends with its parent.
//
// PostgreSQL refuses to run as root. As root the server therefore runs as the user postgres, where that user
// can reach the data folder, else inside a user namespace in which root appears as no one.
package local

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Server is a running PostgreSQL.
type Server struct {
	URL  string // how to connect as the owner, with the password: never log it
	Port int
	Done chan struct{} // closed when it has ended, for whatever reason

	secret string
	pid    int
	log    string
}

// Options say where and how to run.
type Options struct {
	Dir       string   // the data folder; made where it is missing
	Throwaway bool     // for tests: nothing needs to survive a crash
	Port      int      // where to listen; 0: a free port
	Settings  []string // further settings, name=value

	port func() (int, error)
}

// errTaken says that someone has taken the port between looking for a free one and listening on it.
var errTaken = errors.New("the port is taken")

// binaries finds the newest PostgreSQL of the machine.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	sort.Slice(found, func(i, j int) bool { return version(found[i]) < version(found[j]) })
	if len(found) == 0 {
		if path, err := exec.LookPath("postgres"); err == nil {
			return filepath.Dir(path), nil
		}
		return "", errors.New("PostgreSQL is not installed; as root run: apt-get install postgresql")
	}
	return filepath.Dir(found[len(found)-1]), nil
}

// Tool finds one of PostgreSQL's own programs, of the newest that the machine has.
func Tool(name string) (string, error) {
	dir, err := binaries()
	if err == nil {
		if path := filepath.Join(dir, name); exec.Command("test", "-x", path).Run() == nil {
			return path, nil
		}
	}
	return exec.LookPath(name)
}

func version(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// runner makes commands that run as someone PostgreSQL accepts.
type runner struct{ attr syscall.SysProcAttr }

func newRunner(dir string) (*runner, error) {
	r := &runner{}
	if os.Geteuid() != 0 {
		return r, nil
	}
	if account, err := user.Lookup("postgres"); err == nil {
		uid, _ := strconv.Atoi(account.Uid)
		gid, _ := strconv.Atoi(account.Gid)
		as := syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
		reach := exec.Command("test", "-x", filepath.Dir(dir))
		reach.Dir = "/"
		reach.SysProcAttr = &as
		if reach.Run() == nil {
			if err := os.Chown(dir, uid, gid); err != nil {
				return nil, fmt.Errorf("giving the data folder to the user postgres: %w", err)
			}
			r.attr = as
			return r, nil
		}
	}
	r.attr = syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWUSER,
		UidMappings: []syscall.SysProcIDMap{{ContainerID: 65534, HostID: 0, Size: 1}},
		GidMappings: []syscall.SysProcIDMap{{ContainerID: 65534, HostID: 0, Size: 1}}}
	probe := exec.Command("true")
	probe.SysProcAttr = &r.attr
	if err := probe.Run(); err != nil {
		return nil, fmt.Errorf("PostgreSQL does not run as root, and the user postgres cannot reach %s; put the project "+
			"where that user can reach it, or run as an ordinary user (%w)",
			dir, err)
	}
	return r, nil
}

func (r *runner) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(name, args...)
	cmd.Dir = "/"
	attr := r.attr
	attr.Pdeathsig = syscall.SIGINT // a fast, clean end when the parent is gone
	attr.Setpgid = true             // Ctrl-C reaches us, and we end the server in order
	cmd.SysProcAttr = &attr
	cmd.Env = append(os.Environ(), "LC_ALL=C.UTF-8")
	return cmd
}

// Start starts the server and waits until it answers. Errors are plain sentences that say what to do.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, explain("making the data folder", err)
	}
	r, err := newRunner(dir)
	if err != nil {
		return nil, err
	}
	secret, err := r.initialise(bin, dir, o)
	if err != nil {
		return nil, err
	}
	if err := dropStaleLock(dir); err != nil {
		return nil, err
	}
	if o.port == nil {
		o.port = freePort
	}
	if o.Port != 0 {
		o.port = func() (int, error) { return o.Port, nil }
	}
	for tries := 1; ; tries++ {
		port, err := o.port()
		if err != nil {
			return nil, err
		}
		s, err := r.launch(ctx, bin, dir, secret, port, o)
		if err == nil || !errors.Is(err, errTaken) || tries == 5 {
			return s, err
		}
	}
}

// launch starts the prepared server on a port and waits until it answers.
func (r *runner) launch(ctx context.Context, bin, dir, secret string, port int, o Options) (*Server, error) {
	s := &Server{Port: port, URL: fmt.Sprintf("postgres://app:%s@127.0.0.1:%d/postgres?sslmode=disable", secret, port),
		Done: make(chan struct{}), secret: secret}
	args := []string{"-D", dir, "-c", "listen_addresses=127.0.0.1", "-p", strconv.Itoa(port), "-c",
		"unix_socket_directories=", "-c", "max_connections=120",
		"-c", "log_min_messages=warning"}
	for _, setting := range o.Settings {
		args = append(args, "-c", setting)
	}
	if o.Throwaway {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off", "-c",
			"autovacuum=off", "-c", "shared_buffers=512MB", "-c", "max_wal_size=16GB", "-c", "checkpoint_timeout=1h")
	}
	log, err := os.OpenFile(filepath.Join(filepath.Dir(dir), filepath.Base(dir)+".log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return nil, explain("opening the database's log", err)
	}
	started := make(chan error)
	go func() {
		// Pdeathsig follows the thread that forked, so the thread is kept for the child's whole life.
		runtime.LockOSThread()
		defer log.Close()
		cmd := r.command(filepath.Join(bin, "postgres"), args...)
		cmd.Stdout, cmd.Stderr = log, log
		err := cmd.Start()
		if err == nil {
			s.pid = cmd.Process.Pid
		}
		started <- err
		if err == nil {
			_ = cmd.Wait()
			close(s.Done)
		}
	}()
	if err := <-started; err != nil {
		return nil, fmt.Errorf("starting PostgreSQL: %w", err)
	}
	s.log = log.Name()
	return s, s.wait(ctx)
}

// Grant makes the role that the server uses, a member of rubricon_server, and gives how to connect as it. The
// schema must be there.
func (s *Server) Grant(ctx context.Context) (string, error) {
	sum := sha256.Sum256([]byte("server " + s.secret))
	password := hex.EncodeToString(sum[:24])
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return "", err
	}
	defer conn.Close(ctx)
	var there bool
	if err := conn.QueryRow(ctx, `SELECT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'server')`).Scan(&there); err != nil {
		return "", err
	}
	if !there {
		if _, err := conn.Exec(ctx, `CREATE ROLE server LOGIN PASSWORD '`+password+`' IN ROLE rubricon_server`); err != nil {
			return "", err
		}
	}
	u, err := url.Parse(s.URL)
	if err != nil {
		return "", err
	}
	u.User = url.UserPassword("server", password)
	return u.String(), nil
}

// Log returns the end of what the database has said.
func (s *Server) Log() string {
	text, _ := os.ReadFile(s.log)
	return string(text[max(0, len(text)-2000):])
}

func (s *Server) wait(ctx context.Context) error {
	deadline := time.Now().Add(60 * time.Second)
	for {
		soon, cancel := context.WithTimeout(ctx, 2*time.Second) // anyone who has the port may never answer
		conn, err := pgx.Connect(soon, s.URL)
		cancel()
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case <-s.Done:
			text := s.Log()
			if strings.Contains(text, "No space left") {
				return errors.New("the disk is full; free some space and start again")
			}
			if strings.Contains(text, "Address already in use") {
				return fmt.Errorf("PostgreSQL cannot listen: %w", errTaken)
			}
			return fmt.Errorf("PostgreSQL ended at once; its log says:\n%s", text)
		case <-ctx.Done():
			_ = s.Stop()
			return ctx.Err()
		case <-time.After(30 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			_ = s.Stop()
			return fmt.Errorf("PostgreSQL does not answer after a minute; see %s", s.log)
		}
	}
}

// Stop ends the server in order and waits for it.
func (s *Server) Stop() error {
	select {
	case <-s.Done:
		return nil
	default:
	}
	if err := syscall.Kill(s.pid, syscall.SIGINT); err != nil {
		return err
	}
	select {
	case <-s.Done:
		return nil
	case <-time.After(20 * time.Second):
		return syscall.Kill(s.pid, syscall.SIGQUIT)
	}
}

// Kill ends the server at once, as a failing machine does, and waits until it is gone.
func (s *Server) Kill() error {
	if err := syscall.Kill(-s.pid, syscall.SIGKILL); err != nil { // with all its processes
		return err
	}
	<-s.Done
	return nil
}

// Copy makes another data folder with what the server has, by its own pg_basebackup, and what it writes from
// then on where the folder is followed up: started, it is a standby. Nothing may be in the folder yet.
func (s *Server) Copy(dir string) error {
	bin, err := binaries()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return explain("making the data folder", err)
	}
	r, err := newRunner(dir)
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(filepath.Dir(dir), filepath.Base(dir)+".secret"), []byte(s.secret+"\n"), 0o600); err != nil {
		return explain("keeping the database's password", err)
	}
	cmd := r.command(filepath.Join(bin, "pg_basebackup"), "-D", dir, "-h", "127.0.0.1", "-p", strconv.Itoa(s.Port), "-U",
		"app", "-X", "stream", "-c", "fast", "-R")
	cmd.Env = append(cmd.Env, "PGPASSWORD="+s.secret)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("copying the database: %w\n%s", err, out)
	}
	return nil
}

func (r *runner) initialise(bin, dir string, o Options) (secret string, err error) {
	secretFile := filepath.Join(filepath.Dir(dir), filepath.Base(dir)+".secret")
	if _, err := os.Stat(filepath.Join(dir, "PG_VERSION")); err == nil {
		text, err := os.ReadFile(secretFile)
		if err != nil {
			return "", fmt.Errorf("the database's password is gone (%w); start anew with make demo-reset", err)
		}
		return strings.TrimSpace(string(text)), nil
	}
	raw := make([]byte, 24)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	secret = hex.EncodeToString(raw)
	if err := os.WriteFile(secretFile, []byte(secret+"\n"), 0o600); err != nil {
		return "", explain("keeping the database's password", err)
	}
	if as := r.attr.Credential; as != nil { // initdb reads it as that user
		if err := os.Chown(secretFile, int(as.Uid), int(as.Gid)); err != nil {
			return "", err
		}
	}
	auth := "scram-sha-256"
	if o.Throwaway {
		auth = "password" // on loopback, and quicker
	}
	args := []string{"-D", dir, "-U", "app", "-E", "UTF8", "--locale=C.UTF-8", "--auth=" + auth, "--pwfile=" + secretFile}
	if o.Throwaway {
		args = append(args, "--no-sync")
	}
	cmd := r.command(filepath.Join(bin, "initdb"), args...)
	if out, err := cmd.CombinedOutput(); err != nil {
		_ = os.RemoveAll(dir)
		if strings.Contains(string(out), "No space left") {
			return "", errors.New("the disk is full; free some space and start again")
		}
		return "", fmt.Errorf("making the database: %w\n%s", err, out)
	}
	return secret, nil
}

// leaving is how long a server may take to end whose parent was killed.
const leaving = 15 * time.Second

// dropStaleLock takes away the lock of a server that is gone. One that runs is waited for, as long as it may
// be about to end, since its parent was killed; then it is refused.
func dropStaleLock(dir string) error {
	lock := filepath.Join(dir, "postmaster.pid")
	for began := time.Now(); ; time.Sleep(100 * time.Millisecond) {
		text, err := os.ReadFile(lock)
		if errors.Is(err, os.ErrNotExist) {
			return nil
		} else if err != nil {
			return err
		}
		pid := strings.SplitN(string(text), "\n", 2)[0]
		if !runs(pid) {
			return os.Remove(lock)
		}
		if hasParent(pid) || time.Since(began) > leaving {
			return fmt.Errorf("the database in %s is already running (process %s); stop the other make demo first", dir, pid)
		}
	}
}

// stat reads what Linux tells of a process: its state and its parent; an empty state where there is none of
// PostgreSQL's.
func stat(pid string) (state, parent string) {
	text, err := os.ReadFile("/proc/" + pid + "/stat")
	_, rest, _ := strings.Cut(string(text), ") ")
	if fields := strings.Fields(rest); err == nil && strings.Contains(string(text), "(postgres)") && len(fields) > 1 {
		return fields[0], fields[1]
	}
	return "", ""
}

func runs(pid string) bool {
	state, _ := stat(pid)
	return state != "" && state != "Z"
}

// hasParent reports whether anyone who started a server still runs: an orphan is adopted by the first process, or
// by one that runs something else.
func hasParent(pid string) bool {
	_, parent := stat(pid)
	program, err := os.Readlink("/proc/" + parent + "/exe")
	return err == nil && parent != "1" && strings.TrimSuffix(filepath.Base(program), " (deleted)") == filepath.Base(self())
}

func self() string {
	program, _ := os.Executable()
	return program
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("looking for a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func explain(doing string, err error) error {
	if errors.Is(err, syscall.ENOSPC) {
		return errors.New("the disk is full; free some space and start again")
	}
	return fmt.Errorf("%s: %w", doing, err)
}
