package gate

import (
	"time"

	"github.com/prometheus/client_golang/prometheus"
)

// figures are what a gate counts, for Prometheus. docs/farm.md says what each means.
type figures struct {
	messages *prometheus.CounterVec
	refused  prometheus.Counter
	results  *prometheus.CounterVec
	bytes    *prometheus.CounterVec
	lost     prometheus.Counter
	late     prometheus.Counter
	answers  *prometheus.HistogramVec
}

// newFigures returns figures that are all 0.
func newFigures() figures {
	counter := func(name, help string, labels ...string) *prometheus.CounterVec {
		return prometheus.NewCounterVec(prometheus.CounterOpts{Name: "reelhouse_farm_" + name, Help: help}, labels)
	}
	f := figures{
		messages: counter("messages_total", "Messages of nodes on other machines, by kind.", "kind"),
		results:  counter("results_total", "Results of errands that were taken, by how they ended.", "end"),
		bytes:    counter("bytes_total", "Bytes of files, to nodes and from them.", "way"),
		refused: prometheus.NewCounter(prometheus.CounterOpts{
			Name: "reelhouse_farm_refused_total",
			Help: "Messages and files of nodes that were not their own, or not what they were said to be.",
		}),
		lost: prometheus.NewCounter(prometheus.CounterOpts{
			Name: "reelhouse_farm_lost_total", Help: "Errands that came back without a result.",
		}),
		late: prometheus.NewCounter(prometheus.CounterOpts{
			Name: "reelhouse_farm_late_total",
			Help: "Errands that were lost, and that their nodes have handed over late.",
		}),
		answers: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "reelhouse_farm_answer_seconds", Help: "How long the house has taken to answer a node, by kind.",
			Buckets: []float64{0.001, 0.003, 0.01, 0.03, 0.1, 0.3, 1, 3},
		}, []string{"kind"}),
	}
	for _, kind := range []string{"hello", "beat", "said", "done"} { // which are there from the beginning
		f.messages.WithLabelValues(kind)
	}
	return f
}

// answered notes that a node was answered.
func (f figures) answered(kind string, began time.Time) {
	f.messages.WithLabelValues(kind).Inc()
	f.answers.WithLabelValues(kind).Observe(time.Since(began).Seconds())
}

var (
	nodesMetric = prometheus.NewDesc("reelhouse_farm_nodes", "Nodes on other machines that are connected.", nil, nil)
	slotsMetric = prometheus.NewDesc("reelhouse_farm_slots", "Slots of those nodes.", nil, nil)
	handsMetric = prometheus.NewDesc("reelhouse_farm_errands", "Errands in the hands of nodes.", nil, nil)
)

// Describe tells Prometheus what there is; see prometheus.Collector.
func (g *Gate) Describe(out chan<- *prometheus.Desc) { prometheus.DescribeByCollect(g, out) }

// Collect tells Prometheus how things are.
func (g *Gate) Collect(out chan<- prometheus.Metric) {
	nodes, slots, errands := 0, 0, 0
	for _, o := range g.outposts() {
		nodes++
		slots += o.hello.Slots
		errands += len(o.tasks().Leases)
	}
	for desc, n := range map[*prometheus.Desc]int{nodesMetric: nodes, slotsMetric: slots, handsMetric: errands} {
		out <- prometheus.MustNewConstMetric(desc, prometheus.GaugeValue, float64(n))
	}
	f := g.figures
	for _, c := range []prometheus.Collector{f.messages, f.refused, f.results, f.bytes, f.lost, f.late, f.answers} {
		c.Collect(out)
	}
}
