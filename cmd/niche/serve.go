package main

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"niche/internal/serve"
)

func serveCommand() *cobra.Command {
	var s serve.Settings
	var verbose bool
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Run Niche",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s.Log, s.Now, s.Version = newLog(verbose), clockFrom(time.Time{}), version
			n, err := serve.Start(s)
			if err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "Niche is at %s\n", n.Address)
			<-cmd.Context().Done()
			return n.Stop()
		},
	}
	flags := cmd.Flags()
	flags.StringVar(&s.Listen, "listen", "127.0.0.1:8080", "address to listen on")
	flags.StringVar(&s.Data, "data", "niche-data", "data folder")
	flags.StringVar(&s.KeyFile, "key-file", "", "file with the key for secrets (default: keys/secrets.key in the data folder)")
	flags.DurationVar(&s.Poll, "poll", time.Minute, "how often a calendar is read")
	flags.StringSliceVar(&s.AllowHosts, "allow-host", nil, "host, or host:port, in the server's own network that may be linked")
	flags.BoolVar(&s.Secure, "https", false, "the desk is reached over https, by way of a proxy")
	flags.BoolVarP(&verbose, "verbose", "v", false, "log more")
	return cmd
}
