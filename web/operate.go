package web

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// readyWithin is how long the database may take to answer before the process is said not to be ready.
const readyWithin = 2 * time.Second

// meter counts what a server does, for Prometheus. No label has a name, an id or a path: routes are patterns.
type meter struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	streams  prometheus.Gauge
	turned   *prometheus.CounterVec
}

func newMeter(s *Server) *meter {
	m := &meter{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "rubricon_request_seconds", Help: "How long requests took, by method, route and the first digit of the status; live streams are not among them.",
			Buckets: []float64{.005, .01, .025, .05, .1, .2, .3, .5, 1, 2, 5, 15}}, []string{"method", "route", "status"}),
		streams: prometheus.NewGauge(prometheus.GaugeOpts{Name: "rubricon_streams", Help: "Live streams that are open."}),
		turned:  prometheus.NewCounterVec(prometheus.CounterOpts{Name: "rubricon_turned_away_total", Help: "Requests that were turned away, by why: busy (503), often (429)."}, []string{"why"}),
	}
	m.registry.MustRegister(m.requests, m.streams, m.turned, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), &backlogCollector{s})
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

func describe(name, help string) *prometheus.Desc { return prometheus.NewDesc(name, help, nil, nil) }

var (
	databaseUp   = describe("rubricon_database_up", "1 while the database answers.")
	connsOpen    = describe("rubricon_database_connections", "Connections of this process to the database.")
	connsUsed    = describe("rubricon_database_connections_used", "Those of them that are in use.")
	connsMost    = describe("rubricon_database_connections_most", "So many it may have.")
	connsWaited  = describe("rubricon_database_waits_total", "How often a request waited for a connection.")
	connsSeconds = describe("rubricon_database_wait_seconds_total", "How long requests waited for a connection.")
	letters      = describe("rubricon_mails_due", "Mails that are due and not sent yet, in the whole database.")
	letterAge    = describe("rubricon_mail_delay_seconds", "For how long the oldest of them has been due.")
	lettersLost  = describe("rubricon_mails_lost", "Mails of the last day that were not sent, or perhaps not.")
	tasks        = describe("rubricon_tasks", "Imports, exports, placements and so on that wait or run.")
	jobsWaiting  = describe("rubricon_jobs_due", "Jobs of the queue that could run and do not yet.")
	jobsGivenUp  = describe("rubricon_jobs_given_up", "Jobs of the last day that were given up.")
	seatsOffered = describe("rubricon_seats_offered", "Offers of seats that stand.")
)

func (*backlogCollector) Describe(out chan<- *prometheus.Desc) { out <- databaseUp }

func (b *backlogCollector) Collect(out chan<- prometheus.Metric) {
	say := func(d *prometheus.Desc, kind prometheus.ValueType, v float64) {
		out <- prometheus.MustNewConstMetric(d, kind, v)
	}
	pool := b.s.cases.PoolStats()
	say(connsOpen, prometheus.GaugeValue, float64(pool.Open))
	say(connsUsed, prometheus.GaugeValue, float64(pool.Used))
	say(connsMost, prometheus.GaugeValue, float64(pool.Most))
	say(connsWaited, prometheus.CounterValue, float64(pool.Waited))
	say(connsSeconds, prometheus.CounterValue, pool.WaitedFor.Seconds())
	ctx, stop := context.WithTimeout(context.Background(), readyWithin)
	defer stop()
	waits, err := b.s.cases.Backlog(ctx)
	if err != nil {
		say(databaseUp, prometheus.GaugeValue, 0)
		return
	}
	say(databaseUp, prometheus.GaugeValue, 1)
	for d, v := range map[*prometheus.Desc]float64{letters: float64(waits.Letters), letterAge: waits.LetterAge, lettersLost: float64(waits.LettersLost), tasks: float64(waits.Tasks),
		jobsWaiting: float64(waits.JobsWaiting), jobsGivenUp: float64(waits.JobsGivenUp), seatsOffered: float64(waits.SeatsOffered)} {
		say(d, prometheus.GaugeValue, v)
	}
}

// Metrics serves what Prometheus reads; it is for an address of its own, which the world cannot reach.
func (s *Server) Metrics() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(s.meter.registry, promhttp.HandlerOpts{}))
	return mux
}

// Leave says from now on that the process is not ready, so that no more requests are sent to it while it ends what it has begun.
func (s *Server) Leave() { s.leaving.Store(true) }

// operateRoutes tell whoever looks after the process how it is: /healthz whether it lives, /readyz whether it can serve.
func (s *Server) operateRoutes(engine *gin.Engine) {
	engine.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	engine.GET("/readyz", func(c *gin.Context) {
		c.Header("Cache-Control", "no-store")
		ctx, stop := context.WithTimeout(c.Request.Context(), readyWithin)
		defer stop()
		switch {
		case s.leaving.Load():
			c.String(http.StatusServiceUnavailable, "leaving\n")
		case s.cases.Ready(ctx) != nil:
			c.String(http.StatusServiceUnavailable, "the database does not answer\n")
		default:
			c.String(http.StatusOK, "ready\n")
		}
	})
}
