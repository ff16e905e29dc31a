// Command rubricon is the whole application: the server, and commands that work on a school bundle alone.
package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"
)

// Exit codes of the commands on a bundle.
const (
	exitBadRows  = 1
	exitWrongUse = 2
	exitMuchGoes = 3 // more would be removed than was agreed to
)

// exitError ends the program with a code; an empty What prints nothing more.
type exitError struct {
	Code int
	What string
}

func (e *exitError) Error() string { return e.What }

func wrongUse(err error) error {
	return &exitError{exitWrongUse, err.Error()}
}

// version is set by the linker from the file VERSION (make build).
var version = "development"

func main() {
	root := &cobra.Command{
		Use:           "rubricon",
		Short:         "Course requests: chosen by students, signed by families, cleared by counselors",
		Version:       version,
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.CompletionOptions.DisableDefaultCmd = true
	root.AddCommand(commands()...)
	if err := root.Execute(); err != nil {
		code := exitWrongUse
		var exit *exitError
		if errors.As(err, &exit) {
			code = exit.Code
		}
		if err.Error() != "" {
			fmt.Fprintln(os.Stderr, "rubricon: "+err.Error())
		}
		os.Exit(code)
	}
}
