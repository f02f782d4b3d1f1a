package main

import (
	"fmt"
	"runtime"

	"github.com/spf13/cobra"

	"niche/internal/api/desk"
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
	return describing("describe-api", "Print the OpenAPI description", serve.Description)
}

func describeProofCommand() *cobra.Command {
	return describing("describe-proof", "Print the JSON Schema of a proof's evidence", desk.ProofSchema)
}

// describing prints a description that is made from the program itself.
func describing(use, short string, description func() ([]byte, error)) *cobra.Command {
	return &cobra.Command{
		Use:    use,
		Short:  short,
		Args:   cobra.NoArgs,
		Hidden: true,
		RunE: func(cmd *cobra.Command, _ []string) error {
			text, err := description()
			if err == nil {
				_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s\n", text)
			}
			return err
		},
	}
}
