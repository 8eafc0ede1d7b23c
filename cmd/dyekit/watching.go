package main

import (
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"

	"dyekit/studio"
	"dyekit/web"
)

// watching is how a process is watched over: what it writes, and where it tells
// its metrics.
type watching struct {
	log     string
	metrics string
}

func (w *watching) flags(c *cobra.Command) {
	c.Flags().StringVar(&w.log, "log", env("DYEKIT_LOG", "text"), "how lines of the log are written: text, or json for programs (DYEKIT_LOG)")
	c.Flags().StringVar(&w.metrics, "metrics", os.Getenv("DYEKIT_METRICS"), "address on which metrics are told to whoever asks, as 127.0.0.1:9421; nowhere without it (DYEKIT_METRICS)")
}

// start sets the log up and serves the metrics, nil if nobody watches them.
func (w *watching) start(st *studio.Studio) (*web.Metrics, error) {
	switch w.log {
	case "text":
	case "json":
		slog.SetDefault(slog.New(slog.NewJSONHandler(os.Stderr, nil)))
	default:
		return nil, usage(fmt.Errorf("--log %q is neither text nor json", w.log))
	}
	if w.metrics == "" {
		return nil, nil
	}
	l, err := net.Listen("tcp", w.metrics)
	if err != nil {
		return nil, usage(fmt.Errorf("metrics cannot be told on %s: %w", w.metrics, err))
	}
	m := web.NewMetrics(st)
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", m.Handler())
	srv := &http.Server{Handler: mux, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 10 * time.Second, WriteTimeout: 30 * time.Second}
	go srv.Serve(l)
	return m, nil
}
