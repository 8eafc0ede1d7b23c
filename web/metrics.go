package web

import (
	"context"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"dyekit/core/kit"
	"dyekit/studio"
)

// Metrics is what this process tells those who watch over it, in the text format of
// Prometheus. It names routes and states, never marks or people.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

// NewMetrics counts from now on.
func NewMetrics(s *studio.Studio) *Metrics {
	m := &Metrics{registry: prometheus.NewRegistry(), requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "dyekit_request_seconds", Help: "How long requests took, by route.",
		Buckets: []float64{.005, .01, .03, .05, .1, .2, .5, 1, 5, 30},
	}, []string{"method", "route", "status"})}
	release := prometheus.NewGauge(prometheus.GaugeOpts{Name: "dyekit_release", Help: "1, labelled with the release.", ConstLabels: prometheus.Labels{"release": kit.Release}})
	release.Set(1)
	m.registry.MustRegister(m.requests, release, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), &standing{s})
	return m
}

// Handler serves the metrics. Nobody signs in there: it listens where only those
// who watch can reach it.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}

// time measures a request; the zero Metrics measures nothing.
func (m *Metrics) time(c *gin.Context) {
	if m == nil {
		return
	}
	start := time.Now()
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "none"
	}
	m.requests.WithLabelValues(c.Request.Method, route, strconv.Itoa(c.Writer.Status())).Observe(time.Since(start).Seconds())
}

// standing collects how the work stands in the database.
type standing struct{ s *studio.Studio }

var gauges = []struct {
	desc  *prometheus.Desc
	value func(studio.Stats) float64
}{
	{gauge("dyekit_builds_waiting", "Builds in the queue that nobody works on."), func(x studio.Stats) float64 { return float64(x.Waiting) }},
	{gauge("dyekit_builds_running", "Builds that are worked on."), func(x studio.Stats) float64 { return float64(x.Running) }},
	{gauge("dyekit_builds_oldest_seconds", "How long the build that waits longest has waited."), func(x studio.Stats) float64 { return x.Oldest }},
	{gauge("dyekit_builds_failed_last_hour", "Builds that failed within the last hour."), func(x studio.Stats) float64 { return float64(x.Failed) }},
	{gauge("dyekit_kits_built_last_hour", "Kits built within the last hour."), func(x studio.Stats) float64 { return float64(x.Built) }},
	{gauge("dyekit_mails_waiting", "Mails that are to be sent."), func(x studio.Stats) float64 { return float64(x.Mails) }},
	{gauge("dyekit_hook_calls_waiting", "Calls of hooks that are to be made."), func(x studio.Stats) float64 { return float64(x.Hooks) }},
	{gauge("dyekit_unsent_last_day", "Mails and calls given up within the last day."), func(x studio.Stats) float64 { return float64(x.Unsent) }},
	{gauge("dyekit_questions_open", "Questions of clients without an answer."), func(x studio.Stats) float64 { return float64(x.Questions) }},
	{gauge("dyekit_marks", "Marks kept."), func(x studio.Stats) float64 { return float64(x.Marks) }},
	{gauge("dyekit_kits", "Kits kept."), func(x studio.Stats) float64 { return float64(x.Kits) }},
	{gauge("dyekit_blobs", "Files kept, equal ones once."), func(x studio.Stats) float64 { return float64(x.Blobs) }},
	{gauge("dyekit_blob_bytes", "Bytes of the files kept."), func(x studio.Stats) float64 { return float64(x.Bytes) }},
	{gauge("dyekit_db_connections_in_use", "Connections of this process to the database in use."), func(x studio.Stats) float64 { return float64(x.Pool.InUse) }},
	{gauge("dyekit_db_wait_seconds", "Time that requests of this process waited for a connection, in all."), func(x studio.Stats) float64 { return x.Pool.WaitDuration.Seconds() }},
}

func gauge(name, help string) *prometheus.Desc { return prometheus.NewDesc(name, help, nil, nil) }

var up = gauge("dyekit_database_up", "1 if the database answers.")

// Describe implements prometheus.Collector.
func (*standing) Describe(ch chan<- *prometheus.Desc) {
	ch <- up
	for _, g := range gauges {
		ch <- g.desc
	}
}

// Collect implements prometheus.Collector.
func (x *standing) Collect(ch chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	s, err := x.s.Stats(ctx)
	if err != nil {
		slog.Warn("how the work stands cannot be counted", "err", err)
		ch <- prometheus.MustNewConstMetric(up, prometheus.GaugeValue, 0)
		return
	}
	ch <- prometheus.MustNewConstMetric(up, prometheus.GaugeValue, 1)
	for _, g := range gauges {
		ch <- prometheus.MustNewConstMetric(g.desc, prometheus.GaugeValue, g.value(s))
	}
}
