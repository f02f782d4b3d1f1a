package main

import (
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"niche/internal/serve"
	"niche/internal/store"
)

func adminCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "admin", Short: "Look after administrators, on the server's own shell"}
	var s serve.Settings
	reset := &cobra.Command{
		Use:   "reset MAIL",
		Short: "Give an administrator a way back in: their password, second factor and sessions end",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			s.Now = clockFrom(time.Time{})
			path, err := serve.ResetAdministrator(cmd.Context(), s, args[0])
			if errors.Is(err, store.ErrNotFound) {
				return badInput{fmt.Errorf("no administrator has the mail address %s", args[0])}
			}
			if err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "A new password can be chosen, once and within 7 days, at %s\n", path)
			return nil
		},
	}
	reset.Flags().StringVar(&s.Data, "data", "niche-data", "data folder")
	reset.Flags().StringVar(&s.URL, "url", "", "the address by which Niche is reached, as https://niche.example")
	cmd.AddCommand(reset)
	return cmd
}
