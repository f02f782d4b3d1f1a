package main

import (
	"fmt"
	"net/netip"
	"os"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"niche/internal/serve"
)

func serveCommand() *cobra.Command {
	var s serve.Settings
	var verbose bool
	var proxies []string
	var tokenFile, memory string
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Run Niche",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if s.Proxies, err = networks(proxies); err != nil {
				return badInput{fmt.Errorf("--trusted-proxy: %w", err)}
			}
			if s.Token, err = tokenIn(tokenFile); err != nil {
				return badInput{fmt.Errorf("--metrics-token-file: %w", err)}
			}
			if err := limitMemory(memory); err != nil {
				return badInput{fmt.Errorf("--memory-limit: %w", err)}
			}
			s.Log, s.Now, s.Version = newLog(verbose), clockFrom(time.Time{}), version
			n, err := serve.Start(s)
			if err != nil {
				return err
			}
			say := func(text string) { fmt.Fprintln(cmd.OutOrStdout(), text) }
			say("Niche is at " + n.Address)
			if n.Metrics != "" {
				say("Metrics are at " + n.Metrics + "/metrics")
			}
			if n.Code != "" {
				say("Set it up with the code " + n.Code + ", which also lies in " + n.CodeFile)
			}
			<-cmd.Context().Done()
			return n.Stop()
		},
	}
	flags := cmd.Flags()
	flags.StringVar(&s.Listen, "listen", "127.0.0.1:8080", "address to listen on")
	flags.StringVar(&s.URL, "url", "", "the address by which it is reached, as https://niche.example; then it answers to no other name")
	flags.StringVar(&s.Data, "data", "niche-data", "data folder")
	flags.StringVar(&s.KeyFile, "key-file", "", "file with the key for secrets (default: keys/secrets.key in the data folder)")
	flags.BoolVar(&s.NewKey, "new-key", false, "go on although the key for secrets is missing or another: links must be given their passwords again")
	flags.DurationVar(&s.Poll, "poll", time.Minute, "how often a calendar is read")
	flags.StringSliceVar(&s.AllowHosts, "allow-host", nil, "host, or host:port, in the server's own network, or without https, that may be linked")
	flags.BoolVar(&s.Secure, "https", false, "the desk is reached over https, by way of a proxy")
	flags.StringSliceVar(&proxies, "trusted-proxy", nil, "address or network of a proxy that says from whom it asks, as 127.0.0.1 or 10.0.0.0/8")
	flags.StringVar(&s.Metrics, "metrics-listen", "", "address of a listener for metrics alone, as 127.0.0.1:9100")
	flags.StringVar(&tokenFile, "metrics-token-file", "", "file with a token that opens /metrics beside everything else")
	flags.StringVar(&s.Answers, "answers-listen", "", "address of a listener for mail that comes back, as 127.0.0.1:2525: answers to invitations, and reports that a mail was not delivered")
	flags.BoolVar(&s.LMTP, "answers-lmtp", false, "it speaks LMTP and not SMTP")
	flags.StringVar(&memory, "memory-limit", "1GiB", "the memory that the program tries to stay under; 0 for none")
	unlimited(flags, &s)
	flags.BoolVarP(&verbose, "verbose", "v", false, "log more")
	return cmd
}

// unlimited is a flag for tests that ask more than anyone may.
func unlimited(flags *pflag.FlagSet, s *serve.Settings) {
	flags.BoolVar(&s.Unlimited, "unlimited", false, "anyone may do as much as they like")
	_ = flags.MarkHidden("unlimited") // it is there
}

// networks reads addresses and networks.
func networks(texts []string) (list []netip.Prefix, err error) {
	for _, t := range texts {
		p, err := netip.ParsePrefix(t)
		if ip, failed := netip.ParseAddr(t); err != nil && failed == nil {
			p, err = netip.PrefixFrom(ip, ip.BitLen()), nil
		}
		if err != nil {
			return nil, fmt.Errorf("%q is no address and no network, as 127.0.0.1 or 10.0.0.0/8", t)
		}
		list = append(list, p.Masked())
	}
	return list, nil
}

// shortestToken is how long a token must be that anybody may try.
const shortestToken = 16

// tokenIn reads a token from a file; none without a file.
func tokenIn(file string) (string, error) {
	if file == "" {
		return "", nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	token := strings.TrimSpace(string(text))
	if len(token) < shortestToken {
		return "", fmt.Errorf("the token in %s is shorter than %d characters", file, shortestToken)
	}
	return token, nil
}

// limitMemory has the program collect its garbage more often when it comes near a size,
// as 512MiB; the environment's GOMEMLIMIT goes before.
func limitMemory(text string) error {
	if text == "0" || os.Getenv("GOMEMLIMIT") != "" {
		return nil
	}
	units := []struct {
		name  string
		bytes int64
	}{{"GiB", 1 << 30}, {"MiB", 1 << 20}, {"KiB", 1 << 10}}
	for _, u := range units {
		if number, ok := strings.CutSuffix(text, u.name); ok {
			n, err := strconv.ParseInt(number, 10, 32)
			if err == nil && n > 0 {
				debug.SetMemoryLimit(n * u.bytes)
				return nil
			}
		}
	}
	return fmt.Errorf("%q is no size, as 512MiB or 2GiB", text)
}
