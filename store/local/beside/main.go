// Command beside runs a command with a throwaway PostgreSQL next to it, whose URL is in
// $RUBRICON_TEST_POSTGRES: many test runs then need not start one each.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"

	"rubricon/store/local"
)

func main() {
	if len(os.Args) < 2 {
		fmt.Fprintln(os.Stderr, "beside: name the command to run")
		os.Exit(2)
	}
	code, err := run(os.Args[1:])
	if err != nil {
		fmt.Fprintln(os.Stderr, "beside:", err)
		code = 1
	}
	os.Exit(code)
}

func run(args []string) (int, error) {
	dir, err := os.MkdirTemp("", "rubricon-beside")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the user postgres must reach the folder inside
		return 1, err
	}
	pg, err := local.Start(context.Background(), local.Options{Dir: filepath.Join(dir, "pg"), Throwaway: true})
	if err != nil {
		return 1, err
	}
	defer func() { _ = pg.Stop() }()
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Env = append(os.Environ(), "RUBRICON_TEST_POSTGRES="+pg.URL)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	err = cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return exit.ExitCode(), nil
	}
	return 0, err
}
