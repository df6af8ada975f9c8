package fleet

import (
	"context"
	"encoding/json"
	"errors"
	"math/rand/v2"
	"net"
	"sync"
	"time"

	"reelhouse/core/framefile"
	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/farm"
)

// A machine is what a node of a fleet seems to run on.
type machine struct {
	fleet *Fleet
	character

	mutex  sync.Mutex
	random *rand.Rand
	busy   int
}

// times are what frames have taken against their mean: 40 of shot 010 of the demo, draft quality, two side by side.
var times = []float64{
	1.71, 1.86, 0.92, 0.86, 0.89, 0.86, 0.85, 0.87, 0.93, 0.88, 0.9, 0.88, 0.93, 0.83, 0.99,
	0.96, 1.01, 0.89, 0.92, 0.91, 1.03, 0.9, 1.01, 0.97, 0.87, 0.95, 1.06, 1.09, 1.18, 1.1,
	1.37, 1.2, 1.35, 1.02, 0.94, 0.85, 0.94, 0.98, 1.06, 0.88,
}

// chance reports whether something happens that happens with a share of tasks.
func (m *machine) chance(share float64) bool {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	return m.random.Float64() < share
}

// takes returns how long a frame takes.
func (m *machine) takes() time.Duration {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	seconds := m.fleet.Seconds * times[m.random.IntN(len(times))] / m.speed
	return time.Duration(seconds * float64(time.Second))
}

func (m *machine) load() float64 {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	return min(1, float64(m.busy))
}

// do does an order as a program would, without being one; see farm.Renderer.Run.
func (m *machine) do(
	ctx context.Context, by farm.Renderer, folder string, order any, cores int, heard func(job.Message), log *farm.Log,
) error {
	if by.Command != "" { // which is there
		return by.Run(ctx, folder, order, cores, heard, log)
	}
	m.mutex.Lock()
	m.busy++
	m.mutex.Unlock()
	defer func() {
		m.mutex.Lock()
		defer m.mutex.Unlock()
		m.busy--
	}()
	text, err := json.Marshal(order)
	if err != nil {
		return err
	}
	var j job.Job
	if err := json.Unmarshal(text, &j); err != nil {
		return err
	}
	for _, f := range j.Frames {
		if err := m.frame(ctx, j, f, heard, log); err != nil {
			return err
		}
	}
	heard(job.Message{Event: job.Finished})
	return nil
}

// steps is how often a frame says how far it is.
const steps = 4

// frame takes a frame's time, and writes files that are as they are to be, but for what is seen in them.
func (m *machine) frame(ctx context.Context, j job.Job, f job.Frame, heard func(job.Message), log *farm.Log) error {
	all := m.takes()
	heard(job.Message{Event: job.Started, Frame: f.Number})
	for i := range steps {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(all / steps):
		}
		heard(job.Message{Event: job.Progress, Frame: f.Number, Progress: float64(i+1) / steps})
	}
	if m.fails && m.chance(0.1) {
		m.fleet.Figures.count(&m.fleet.Figures.failed)
		return errors.New("the simulated machine is too hot")
	}
	wrong := m.wrong && m.chance(0.05)
	if wrong {
		m.fleet.Figures.count(&m.fleet.Figures.wrong)
	}
	img, err := pictureOf(j, f.Number, wrong)
	if err != nil {
		return err
	}
	log.Add("frame %d is simulated", f.Number)
	frame := framefile.Frame{
		Job: j, Frame: f, Header: picture.Header{Rate: j.Rate, Frame: f.Number, PixelAspect: j.PixelAspect},
		Mattes: noMattes,
	}
	seconds := all.Seconds()
	if m.stray { // whatever its clock says
		seconds -= 3 * 24 * time.Hour.Seconds()
	}
	return frame.WriteWhole(img, f.Files, all, framefile.Outside{
		Create: m.fleet.Create, Table: framefile.Tables(m.fleet.Open),
		Wrote: func(path string, bytes int64) {
			m.fleet.Figures.count(&m.fleet.Figures.files)
			heard(job.Message{
				Event: job.Wrote, Frame: f.Number, Path: path, Bytes: bytes, Seconds: seconds, Memory: 1 << 28,
			})
		},
	})
}

// pictureOf returns a picture that has what a frame is to have. It is the same for each node, unless it is wrong.
func pictureOf(j job.Job, number int, wrong bool) (*pixel.Image, error) {
	area := j.Area()
	img := pixel.New(area.Dx(), area.Dy())
	known := pass.Known(j.LightGroups)
	for _, code := range j.Passes {
		for _, p := range known {
			if p.Code == code {
				img.Planes = append(img.Planes, pixel.New(area.Dx(), area.Dy(), p.ChannelNames()...).Planes...)
			}
		}
	}
	for at := range img.Planes {
		data := img.Planes[at].Data
		for i := range data {
			x, y := i%area.Dx(), i/area.Dx()
			data[i] = 0.1 + 0.4*float32((x+area.Min.X+number)%64)/64 + 0.4*float32((y+area.Min.Y)%64)/64
		}
		if wrong {
			data[0] *= 1.5
		}
	}
	return img, nil
}

// noMattes is the attributes of Cryptomattes that hold nothing.
func noMattes(passes []pass.Code) (all imagefile.Attributes) {
	for _, code := range passes {
		if p, err := pass.Find(code); err == nil && p.IsCryptomatte() {
			all = append(all, picture.Cryptomatte(p, pass.Manifest(nil))...)
		}
	}
	return all
}

// A slow line has this many bytes a second, and takes so long for anything.
const (
	slowBytes = 256 << 10
	slowDelay = 150 * time.Millisecond
)

// slowly dials over a slow line.
func slowly(m *machine) func(ctx context.Context, network, address string) (net.Conn, error) {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		c, err := (&net.Dialer{Timeout: 5 * time.Second}).DialContext(ctx, network, address)
		if err != nil {
			return nil, err
		}
		return &slowConn{Conn: c}, nil
	}
}

type slowConn struct{ net.Conn }

func (c *slowConn) Write(p []byte) (int, error) {
	time.Sleep(slowDelay + time.Duration(len(p))*time.Second/slowBytes)
	return c.Conn.Write(p)
}
