package web

import (
	"github.com/prometheus/client_golang/prometheus"

	"reelhouse/house"
	"reelhouse/web/kit"
)

// metrics counts frames by state, and pages that listen, for Prometheus.
func metrics(s Server, app *kit.App) *prometheus.Registry {
	r := prometheus.NewRegistry()
	r.MustRegister(s.Figures...)
	r.MustRegister(frameCollector{s.House}, prometheus.NewGaugeFunc(
		prometheus.GaugeOpts{Name: "reelhouse_listening_pages", Help: "Pages that are open in browsers."},
		func() float64 { return float64(app.Listening()) },
	))
	return r
}

type frameCollector struct{ house *house.House }

var framesMetric = prometheus.NewDesc(
	"reelhouse_frames", "Frames in the queue, by state.", []string{"production", "state"}, nil,
)

func (f frameCollector) Describe(out chan<- *prometheus.Desc) { out <- framesMetric }

func (f frameCollector) Collect(out chan<- prometheus.Metric) {
	batches, err := f.house.Record.BatchesAlone("")
	if err != nil {
		out <- prometheus.NewInvalidMetric(framesMetric, err)
		return
	}
	sums := map[[2]string]int{}
	for _, b := range batches {
		for state, n := range b.Counts() {
			sums[[2]string{b.Plan.Production, string(state)}] += n
		}
	}
	for labels, n := range sums {
		out <- prometheus.MustNewConstMetric(framesMetric, prometheus.GaugeValue, float64(n), labels[0], labels[1])
	}
}
