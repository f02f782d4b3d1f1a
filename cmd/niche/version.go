package main

import (
	"fmt"
	"runtime"

	"github.com/spf13/cobra"

	"niche/internal/serve"
)

func versionCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "version",
		Short: "Print the version",
		Args:  cobra.NoArgs,
		Run: func(cmd *cobra.Command, _ []string) {
			fmt.Fprintf(cmd.OutOrStdout(), "niche %s (%s)\n", version, runtime.Version())
		},
	}
}

// describeCommand prints the description of the API, from which the types of
// the front end are generated.
func describeCommand() *cobra.Command {
	return &cobra.Command{
		Use:    "describe-api",
		Short:  "Print the OpenAPI description",
		Args:   cobra.NoArgs,
		Hidden: true,
		RunE: func(cmd *cobra.Command, _ []string) error {
			text, err := serve.Description()
			if err == nil {
				_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s\n", text)
			}
			return err
		},
	}
}
