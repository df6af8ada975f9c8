package pixel

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"
)

// kernelChart draws a kernel from -3 to 3, weights from -0.25 to 1.25, as an SVG.
func kernelChart(k Kernel) []byte {
	const width, height, left, top, unit, one = 360, 190, 12, 12, 56, 110
	x := func(v float64) float64 { return left + (v+3)*unit }
	y := func(v float64) float64 { return top + (1.25-v)*one }
	var b bytes.Buffer
	fmt.Fprintf(
		&b,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="monospace" font-size="10">`+
			"\n<title>%s</title>\n",
		width,
		height,
		k.Name(),
	)
	fmt.Fprintf(&b, `<rect width="%d" height="%d" fill="#fdfbf6"/>`+"\n", width, height)
	for n := -3; n <= 3; n++ {
		fmt.Fprintf(
			&b,
			`<path d="M%.1f %d V%d" stroke="#d9d2c3"/>`+
				`<text x="%.1f" y="%d" text-anchor="middle" fill="#5c6675">%d</text>`+"\n",
			x(float64(n)), top, height-24, x(float64(n)), height-10, n,
		)
	}
	fmt.Fprintf(
		&b,
		`<path d="M%.1f %.1f H%.1f M%.1f %.1f H%.1f" stroke="#7a8794"/>`+
			`<text x="%.1f" y="%.1f" fill="#5c6675">1</text>`+"\n",
		x(-3), y(0), x(3), x(-3), y(1), x(3), x(-3)+2, y(1)-3,
	)
	b.WriteString(`<path fill="none" stroke="#0e5a66" stroke-width="2" d="`)
	for i := 0; i <= 360; i++ {
		v := float64(i)/60 - 3
		step := "L"
		if i == 0 {
			step = "M"
		}
		fmt.Fprintf(&b, "%s%.1f %.1f", step, x(v), y(k.Weight(v)))
	}
	b.WriteString("\"/>\n</svg>\n")
	return b.Bytes()
}

// The charts in docs are made by the code that they show; REELHOUSE_CHARTS=write makes them again.
func TestChartsInDocsAreThoseOfTheKernels(t *testing.T) {
	for _, k := range Kernels() {
		path := filepath.Join("..", "..", "docs", "kernels", string(k)+".svg")
		want := kernelChart(k)
		if os.Getenv("REELHOUSE_CHARTS") == "write" {
			if err := os.WriteFile(path, want, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if got, err := os.ReadFile(path); err != nil || !bytes.Equal(got, want) {
			t.Errorf("%s is missing or old (%v); run the test with REELHOUSE_CHARTS=write", path, err)
		}
	}
}
