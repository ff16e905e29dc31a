package main

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"rubricon/app"
	"rubricon/store"
)

func eraseCommand() *cobra.Command {
	var after int
	var do bool
	cmd := &cobra.Command{
		Use:   "erase SCHOOL",
		Short: "Take away all that is kept about those who left a school long ago; the database is $RUBRICON_OWNER_DATABASE, as its owner",
		Long: `Take away all that is kept about those whom a school's data has not named for so many months: sheets, records, what was said and done, sign-ins. How many asked for each course stays, as
tallies from which nobody can be told. Without --do it says how many they are, and takes nothing away. Backups still have them: keep none longer than you promise.`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			url, err := ownerURL()
			if err != nil {
				return err
			}
			if after < 1 {
				return wrongUse(fmt.Errorf("--after %d: so few months are none; write --after 24", after))
			}
			db, err := store.Open(cmd.Context(), url)
			if err != nil {
				return err
			}
			defer db.Close()
			before := time.Now().AddDate(0, -after, 0)
			n, more, err := app.New(db, app.Options{}).People.Erase(cmd.Context(), args[0], before, do)
			out := cmd.OutOrStdout()
			switch {
			case err != nil:
				return fmt.Errorf("%d were taken away, then: %w", n, err)
			case do:
				fmt.Fprintf(out, "All that was kept about %d people was taken away.\n", n)
			case more:
				fmt.Fprintf(out, "At least %d people left %s before %s. Add --do to take away what is kept about them.\n", n,
					args[0], before.Format(time.DateOnly))
			default:
				fmt.Fprintf(out, "%d people left %s before %s. Add --do to take away what is kept about them.\n", n, args[0],
					before.Format(time.DateOnly))
			}
			return nil
		},
	}
	cmd.Flags().IntVar(&after, "after", 24, "months since the school's data last named them")
	cmd.Flags().BoolVar(&do, "do", false, "take it away; it cannot be brought back")
	return cmd
}
