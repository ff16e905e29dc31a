package server

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"rubricon/app/office"
)

// readyWithin is how long the database may take to answer before the process is said not to be ready.
const readyWithin = 2 * time.Second

// meter counts what a server does, for Prometheus. No label has a name, an id or a path: routes are patterns.
type meter struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	Streams  prometheus.Gauge
	turned   *prometheus.CounterVec
}

func newMeter(s *Server) *meter {
	m := &meter{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "rubricon_request_seconds",
			Help:    "How long requests took, by method, route and the first digit of the status; live streams are not among them.",
			Buckets: []float64{.005, .01, .025, .05, .1, .2, .3, .5, 1, 2, 5, 15}}, []string{"method", "route", "status"}),
		Streams: prometheus.NewGauge(prometheus.GaugeOpts{Name: "rubricon_streams", Help: "Live streams that are open."}),
		turned: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "rubricon_turned_away_total",
			Help: "Requests that were turned away, by why: busy (503), often (429)."}, []string{"why"}),
	}
	m.registry.MustRegister(m.requests, m.Streams, m.turned, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), &backlogCollector{s})
	return m
}

// done counts a request that has been answered.
func (m *meter) done(method, route string, status int, took time.Duration) {
	m.requests.WithLabelValues(method, route, strconv.Itoa(status/100)+"xx").Observe(took.Seconds())
	switch status {
	case http.StatusServiceUnavailable:
		m.turned.WithLabelValues("busy").Inc()
	case http.StatusTooManyRequests:
		m.turned.WithLabelValues("often").Inc()
	}
}

// backlogCollector asks, when it is looked at, what waits in the database and how the connections to it are used.
type backlogCollector struct{ s *Server }

// A reading is a number of the pool or of the backlog, by its name.
type reading[T any] struct {
	desc *prometheus.Desc
	kind prometheus.ValueType
	of   func(T) float64
}

func counts[T any](name, help string, of func(T) float64) reading[T] {
	return reading[T]{prometheus.NewDesc(name, help, nil, nil), prometheus.CounterValue, of}
}

func gauges[T any](name, help string, of func(T) float64) reading[T] {
	return reading[T]{prometheus.NewDesc(name, help, nil, nil), prometheus.GaugeValue, of}
}

var (
	databaseUp = gauges("rubricon_database_up", "1 while the database answers.", func(up float64) float64 { return up })
	ofPool     = []reading[office.PoolStats]{
		gauges("rubricon_database_connections", "Connections of this process to the database.",
			func(p office.PoolStats) float64 { return float64(p.Open) }),
		gauges("rubricon_database_connections_used", "Those of them that are in use.",
			func(p office.PoolStats) float64 { return float64(p.Used) }),
		gauges("rubricon_database_connections_most", "So many it may have.", func(p office.PoolStats) float64 { return float64(p.Most) }),
		counts("rubricon_database_waits_total", "How often a request waited for a connection.",
			func(p office.PoolStats) float64 { return float64(p.Waited) }),
		counts("rubricon_database_wait_seconds_total", "How long requests waited for a connection.",
			func(p office.PoolStats) float64 { return p.WaitedFor.Seconds() }),
	}
	ofBacklog = []reading[office.Backlog]{
		gauges("rubricon_mails_due", "Mails that are due and not sent yet, in the whole database.",
			func(b office.Backlog) float64 { return float64(b.Letters) }),
		gauges("rubricon_mail_delay_seconds", "For how long the oldest of them has been due.",
			func(b office.Backlog) float64 { return b.LetterAge }),
		gauges("rubricon_mails_lost", "Mails of the last day that were not sent, or perhaps not.",
			func(b office.Backlog) float64 { return float64(b.LettersLost) }),
		gauges("rubricon_tasks", "Imports, exports, placements and so on that wait or run.",
			func(b office.Backlog) float64 { return float64(b.Tasks) }),
		gauges("rubricon_jobs_due", "Jobs of the queue that could run and do not yet.",
			func(b office.Backlog) float64 { return float64(b.JobsWaiting) }),
		gauges("rubricon_jobs_given_up", "Jobs of the last day that were given up.",
			func(b office.Backlog) float64 { return float64(b.JobsGivenUp) }),
		gauges("rubricon_seats_offered", "Offers of seats that stand.", func(b office.Backlog) float64 { return float64(b.SeatsOffered) }),
	}
)

func tell[T any](out chan<- prometheus.Metric, v T, list ...reading[T]) {
	for _, r := range list {
		out <- prometheus.MustNewConstMetric(r.desc, r.kind, r.of(v))
	}
}

// Describe and Collect make it a collector of Prometheus.
func (*backlogCollector) Describe(out chan<- *prometheus.Desc) { out <- databaseUp.desc }

func (b *backlogCollector) Collect(out chan<- prometheus.Metric) {
	tell(out, b.s.health.PoolStats(), ofPool...)
	ctx, stop := context.WithTimeout(context.Background(), readyWithin)
	defer stop()
	waits, err := b.s.health.Backlog(ctx)
	if err != nil {
		tell(out, 0, databaseUp)
		return
	}
	tell(out, 1, databaseUp)
	tell(out, waits, ofBacklog...)
}

// Metrics serves what Prometheus reads; it is for an address of its own, which the world cannot reach.
func (s *Server) Metrics() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(s.Meter.registry, promhttp.HandlerOpts{}))
	return mux
}

// Leave says from now on that the process is not ready, so that no more requests are sent to it while it ends
// what it has begun.
func (s *Server) Leave() { s.leaving.Store(true) }

// operateRoutes tell anyone who looks after the process how it is: /healthz whether it lives, /readyz whether it
// can serve.
func (s *Server) operateRoutes(engine *gin.Engine) {
	engine.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	engine.GET("/readyz", func(c *gin.Context) {
		c.Header("Cache-Control", "no-store")
		ctx, stop := context.WithTimeout(c.Request.Context(), readyWithin)
		defer stop()
		switch {
		case s.leaving.Load():
			c.String(http.StatusServiceUnavailable, "leaving\n")
		case s.health.Ready(ctx) != nil:
			c.String(http.StatusServiceUnavailable, "the database does not answer\n")
		default:
			c.String(http.StatusOK, "ready\n")
		}
	})
}
