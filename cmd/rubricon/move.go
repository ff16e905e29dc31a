package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"rubricon/store"
)

func moveCommand() *cobra.Command {
	var same bool
	cmd := &cobra.Command{
		Use:   "move SCHOOL",
		Short: "Move a school with all its history from $RUBRICON_OWNER_DATABASE to $RUBRICON_TARGET_DATABASE, as the owner of both",
		Long: `Move a school with all that is kept of it, and its accounts,
			into another database of the same version, and out of this one; all of it or nothing. Do it when nobody works: where something is changed
meanwhile nothing moves. Afterwards lead the school's address to the processes of the other database; who is signed in signs in anew.`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			from, err := ownerURL()
			if err != nil {
				return err
			}
			to := os.Getenv("RUBRICON_TARGET_DATABASE")
			if to == "" {
				return wrongUse(errors.New("set RUBRICON_TARGET_DATABASE to the URL of the database to move to, as its owner"))
			}
			rows, err := store.Move(cmd.Context(), from, to, args[0], same)
			var known store.KnownAccounts
			switch {
			case errors.Is(err, store.ErrNotFound):
				return wrongUse(fmt.Errorf("there is no school %q", args[0]))
			case errors.As(err, &known):
				return wrongUse(fmt.Errorf("%w If so, add --same-people: they keep the passwords that they have there. If not, "+
					"change the usernames in the school's data first",
					err))
			case err != nil:
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s has moved: %d rows. Lead its address to the other processes now.\n", args[0], rows)
			return nil
		},
	}
	cmd.Flags().BoolVar(&same, "same-people", false, "accounts with the same usernames in both databases are the same people")
	return cmd
}
