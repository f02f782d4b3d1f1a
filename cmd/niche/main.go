// Niche is the scheduling administrator's desk for a service business.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"niche/internal/serve"
)

// version is set when a release is built.
var version = "development"

func main() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(serve.GCPercent)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := rootCommand().ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "niche:", err)
		os.Exit(exitCode(err))
	}
}

func rootCommand() *cobra.Command {
	root := &cobra.Command{
		Use:           "niche",
		Short:         "The scheduling administrator's desk for a service business",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(serveCommand(), adminCommand(), demoCommand(), offersCommand(), whyCommand(), busyCommand(), proveCommand(), versionCommand(), describeCommand(), describeProofCommand())
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return badInput{err} })
	return root
}

// badInput is an error in what the program was given, and not in its work.
type badInput struct{ error }

// Unwrap returns the cause.
func (b badInput) Unwrap() error { return b.error }

// ending is an error with an exit code of its own.
type ending struct {
	error
	code int
}

func exitCode(err error) int {
	if end, ok := errors.AsType[ending](err); ok {
		return end.code
	}
	var input badInput
	if errors.As(err, &input) || strings.HasPrefix(err.Error(), "required flag") || strings.HasPrefix(err.Error(), "unknown command") || strings.HasPrefix(err.Error(), "accepts ") {
		return 2
	}
	return 1
}

// newLog returns the program's log, on standard error.
func newLog(verbose bool) *slog.Logger {
	level := slog.LevelInfo
	if verbose {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

// clockFrom returns a clock that shows start now and goes on from there; for
// the zero time, the clock on the wall.
func clockFrom(start time.Time) func() time.Time {
	if start.IsZero() {
		return time.Now
	}
	begun := time.Now()
	return func() time.Time { return start.Add(time.Since(begun)) }
}
