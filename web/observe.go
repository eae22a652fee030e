package web

import (
	"context"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// meters is what /metrics tells.
type meters struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec // seconds, by route and status
	work     *prometheus.HistogramVec // seconds, by kind of work
}

func (s *Server) newMeters() *meters {
	m := &meters{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "stepping_request_seconds",
			Help:    "Time to answer a request, by route and status.",
			Buckets: []float64{.005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10}}, []string{"method", "route", "status"}),
		work: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "stepping_work_seconds",
			Help:    "Time that plans, rankings and other long work took once their turn had come.",
			Buckets: []float64{.01, .03, .1, .3, 1, 3, 10, 30, 100, 300}}, []string{"kind"}),
	}
	gauge := func(name, help string, value func() float64) {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value))
	}
	gauge("stepping_work_waiting", "Plans, rankings and other long work that wait for their turn.",
		func() float64 { n, _ := s.desk.Jobs.Load(); return float64(n) })
	gauge("stepping_work_running", "Plans, rankings and other long work under way.", func() float64 { _, n := s.desk.Jobs.Load(); return float64(n) })
	gauge("stepping_cached_plans", "Plans kept in memory.", func() float64 { n, _ := s.desk.Cached(); return float64(n) })
	gauge("stepping_cached_moments", "Moments of these plans; one takes 30 to 90 KiB.", func() float64 { _, n := s.desk.Cached(); return float64(n) })
	m.registry.MustRegister(m.requests, m.work, s.store.Collector(), collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// worked is told how long a piece of long work took.
func (m *meters) worked(kind string, took time.Duration) {
	m.work.WithLabelValues(kind).Observe(took.Seconds())
}

// observed measures a request, and gives it an id that its log lines carry.
func (s *Server) observed(c *gin.Context) {
	began, id := time.Now(), uuid.NewString()
	c.Set(requestKey, id)
	c.Header("X-Request-Id", id)
	c.Next()
	took, status := time.Since(began), c.Writer.Status()
	route := c.FullPath()
	if route == "" {
		route = "none"
	}
	s.meters.requests.WithLabelValues(c.Request.Method, route, strconv.Itoa(status)).Observe(took.Seconds())
	level := slog.LevelDebug
	if status >= http.StatusInternalServerError {
		level = slog.LevelWarn
	}
	s.log.Log(context.WithoutCancel(c.Request.Context()), level, "answered", "request", id,
		"method", c.Request.Method, "route", route, "status", status, "took", took)
}

const requestKey = "request"

// logFor is the log for what happens in a request. What was typed does not go there, nor addresses with secrets in them.
func (s *Server) logFor(c *gin.Context) *slog.Logger {
	return s.log.With("request", c.GetString(requestKey), "route", c.FullPath())
}

// metrics answers this machine alone, or who is signed in.
func (s *Server) metrics(c *gin.Context) {
	promhttp.HandlerFor(s.meters.registry, promhttp.HandlerOpts{}).ServeHTTP(c.Writer, c.Request)
}
