package local

import (
	"bufio"
	"context"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
)

// TestAPortTakenMeanwhile has the first port that seemed free taken by someone else: another is looked for.
func TestAPortTakenMeanwhile(t *testing.T) {
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	dir, err := os.MkdirTemp("", "rubricon-local") // the user postgres must reach the folder inside: t.TempDir is closed to it
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	asked := 0
	port := func() (int, error) {
		if asked++; asked == 1 {
			return taken.Addr().(*net.TCPAddr).Port, nil
		}
		return freePort()
	}
	s, err := Start(context.Background(), Options{Dir: filepath.Join(dir, "pg"), Throwaway: true, port: port})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Stop() }()
	conn, err := pgx.Connect(context.Background(), s.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if asked != 2 {
		t.Errorf("%d ports were tried, not 2", asked)
	}
}

// TestAStartRightAfterAKill has the program that started a database killed: another start waits until that database has ended. Beside one that lives it is refused at once.
func TestAStartRightAfterAKill(t *testing.T) {
	if dir := os.Getenv("RUBRICON_TEST_START"); dir != "" { // the program that is killed
		if _, err := Start(context.Background(), Options{Dir: dir}); err != nil {
			t.Fatal(err)
		}
		_, _ = os.Stdout.WriteString("started\n")
		select {}
	}
	parent, err := os.MkdirTemp("", "rubricon-local")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(parent) })
	if err := os.Chmod(parent, 0o755); err != nil {
		t.Fatal(err)
	}
	dir := filepath.Join(parent, "pg")
	for range 5 {
		program := exec.Command(os.Args[0], "-test.run=^TestAStartRightAfterAKill$")
		program.Env = append(os.Environ(), "RUBRICON_TEST_START="+dir)
		out, err := program.StdoutPipe()
		if err == nil {
			err = program.Start()
		}
		if err != nil {
			t.Fatal(err)
		}
		if line, err := bufio.NewReader(out).ReadString('\n'); line != "started\n" {
			t.Fatalf("it says %q: %v", line, err)
		}
		if _, err := Start(context.Background(), Options{Dir: dir}); err == nil || !strings.Contains(err.Error(), "already running") {
			t.Fatalf("beside a living one: %v", err)
		}
		if err := program.Process.Kill(); err != nil {
			t.Fatal(err)
		}
		_ = program.Wait()
		s, err := Start(context.Background(), Options{Dir: dir})
		if err != nil {
			t.Fatal(err)
		}
		if err := s.Stop(); err != nil {
			t.Fatal(err)
		}
	}
}
