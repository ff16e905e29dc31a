package main

import (
	"fmt"
	"net/url"

	"github.com/spf13/cobra"

	"rubricon/app"
	"rubricon/app/problem"
)

func letInCommand() *cobra.Command {
	var address string
	var forget bool
	cmd := &cobra.Command{
		Use:   "let-in SCHOOL USERNAME",
		Short: "Print an address with which somebody signs in once, where nobody of the school can give them a code",
		Long: `Prints an address with which a person of a school signs in once,
			within two weeks, and then chooses a password. It is for an only administrator who has no password or has lost it.
With --forget-passkeys the account's passkeys are removed too, for somebody who has lost them. The person's sessions end. The school's office reads that it was done, and the server's log has
it. Whoever has the address can sign in as that person, so hand it over in person or by a channel that nobody else reads.`,
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			at, err := url.Parse(address)
			if err != nil || at.Scheme == "" || at.Host == "" {
				return wrongUse(fmt.Errorf("--address %q: write the address of the application, such as https://courses.example.org", address))
			}
			return withCases(cmd.Context(), func(cases *app.App) error {
				password, err := cases.Account.LetIn(cmd.Context(), args[0], args[1], forget)
				if problem.CodeOf(err) == problem.NotFound {
					return wrongUse(fmt.Errorf("nobody of the school %q has the username %q", args[0], args[1]))
				}
				if err != nil {
					return err
				}
				at.Path = "/"
				// what follows # is sent to no server
				fmt.Fprintln(cmd.OutOrStdout(), at.String()+"#"+url.Values{"username": {args[1]}, "code": {password}}.Encode())
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&forget, "forget-passkeys", false, "remove the account's passkeys")
	cmd.Flags().StringVar(&address, "address", "http://127.0.0.1:7270", "of the application")
	return cmd
}
