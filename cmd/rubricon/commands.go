package main

import (
	"github.com/spf13/cobra"

	"rubricon/bundle"
	"rubricon/demo"
)

func commands() []*cobra.Command {
	return []*cobra.Command{checkCommand(), demoBundleCommand()}
}

func demoBundleCommand() *cobra.Command {
	o := demo.Options{Students: 1200, Seed: 7}
	cmd := &cobra.Command{
		Use:   "demo-bundle OUT",
		Short: "Write the demo school, or one like it, as a school bundle",
		Args:  cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return bundle.Write(args[0], demo.Bundle(o))
		},
	}
	cmd.Flags().IntVar(&o.Students, "students", o.Students, "how many students")
	cmd.Flags().Uint64Var(&o.Seed, "seed", o.Seed, "the same seed gives the same school")
	return cmd
}
