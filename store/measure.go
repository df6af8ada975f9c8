package store

import (
	"math"

	"reelhouse/core/plan"
)

// Measure returns what the good frames of a production have cost, by view. Rates vary by what single frames of a view
// have varied.
func (s *Store) Measure(production string) (plan.Measure, error) {
	rows, err := s.read.Query(
		`SELECT q.view, sum(q.good), sum(q.seconds), sum(q.good * q.megasamples), sum(q.bytes),
			sum(q.good * q.modelled),
		sum((SELECT coalesce(sum(f.seconds * f.seconds), 0) FROM frame f WHERE f.sequence_id = q.id
			AND f.state = 'good') / (q.megasamples * q.megasamples))
		FROM sequence q JOIN batch b ON b.id = q.batch_id WHERE b.production = ? AND q.good > 0 AND q.megasamples > 0
			GROUP BY 1`,
		production,
	)
	if err != nil {
		return plan.Measure{}, err
	}
	defer rows.Close()
	m := plan.Measure{Views: map[string]plan.Rate{}}
	var seconds, samples, bytes, modelled float64
	for rows.Next() {
		var view string
		var r plan.Rate
		var s, n, b, expected, squares float64
		if err := rows.Scan(&view, &r.Frames, &s, &n, &b, &expected, &squares); err != nil {
			return plan.Measure{}, err
		}
		r.Mean = s / n
		spread := spreadOf(r, squares)
		r.Least, r.Most = max(r.Mean-spread, r.Mean/2), r.Mean+spread
		m.Views[view] = r
		m.Frames += r.Frames
		seconds, samples, bytes, modelled = seconds+s, samples+n, bytes+b, modelled+expected
	}
	if err := rows.Err(); err != nil || m.Frames == 0 {
		return plan.Measure{}, err
	}
	m.SecondsPerMegasample, m.BytesPerModelled = seconds/samples, bytes/modelled
	m.Least = math.Inf(1)
	for _, r := range m.Views {
		m.Least, m.Most = min(m.Least, r.Least), max(m.Most, r.Most)
	}
	return m, nil
}

// leastSpread is by how much a rate is taken to vary at least, as a share: few frames, or quick ones, tell too little.
const leastSpread = 0.15

// spreadOf returns twice the standard deviation of the mean rate of frames, from the sum of the squares of single ones.
func spreadOf(r plan.Rate, squares float64) float64 {
	n := float64(r.Frames)
	deviation := math.Sqrt(max(0, squares/n-r.Mean*r.Mean))
	return max(leastSpread*r.Mean, 2*deviation/math.Sqrt(n))
}
