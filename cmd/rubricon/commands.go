package main

import "github.com/spf13/cobra"

func commands() []*cobra.Command {
	return []*cobra.Command{checkCommand()}
}
