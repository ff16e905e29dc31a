package local

import (
	"context"
	"net"
	"os"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"
)

// TestAPortTakenMeanwhile has the first port that seemed free taken by somebody else: another is looked for.
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
