package gate

import (
	"context"
	"crypto/tls"
	"encoding/pem"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"

	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/house/housetest"
)

// A lineHandler hands on each line of a log.
type lineHandler struct {
	slog.Handler
	line func(string)
}

func (h lineHandler) Enabled(context.Context, slog.Level) bool { return true }

func (h lineHandler) Handle(_ context.Context, r slog.Record) error {
	h.line(r.Message)
	return nil
}

// clusterOf returns the configuration of a cluster of one server, and the cluster as the house sees it.
func clusterOf(t *testing.T, h *house.House) (*server.Options, *Cluster) {
	t.Helper()
	text, err := ClusterConfiguration(h)
	if err != nil {
		t.Fatal(err)
	}
	known := httptest.NewTLSServer(nil) // for its certificate
	known.Close()
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := free.Addr().String()
	free.Close()
	folder := t.TempDir()
	path := filepath.Join(folder, "server.conf")
	text = fmt.Sprintf("listen: %q\njetstream { store_dir: %q }\n%s", address, folder, text)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	o, err := server.ProcessConfigFile(path)
	if err != nil {
		t.Fatal(err)
	}
	o.NoSigs, o.NoLog = true, true
	o.TLS, o.TLSConfig = true, &tls.Config{Certificates: known.TLS.Certificates, MinVersion: tls.VersionTLS13}
	authority := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: known.Certificate().Raw})
	return o, &Cluster{Addresses: []string{address}, Authority: string(authority)}
}

// After a power cut the house may be there before its cluster.
func TestAClusterThatIsNotThereYetIsWaitedFor(t *testing.T) {
	h, _ := housetest.New(t, "1001-1002")
	configuration, cluster := clusterOf(t, h)
	waits := make(chan bool, 1)
	options := Options{
		House: h, Hub: farm.NewHub(), Address: "127.0.0.1:0", Cluster: cluster,
		Log: slog.New(lineHandler{line: func(line string) {
			if strings.Contains(line, "cluster is waited for") {
				waits <- true
			}
		}}),
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	type opening struct {
		gate *Gate
		err  error
	}
	opened := make(chan opening)
	open := func(ctx context.Context) {
		g, err := Open(ctx, options)
		opened <- opening{g, err}
	}
	waiting := func() {
		t.Helper()
		select {
		case <-waits:
		case o := <-opened:
			t.Fatalf("it does not wait: %v", o.err)
		}
	}
	// Who is ended meanwhile does not wait.
	ended, end := context.WithCancel(ctx)
	go open(ended)
	waiting()
	end()
	if o := <-opened; !strings.Contains(fmt.Sprint(o.err), cluster.Addresses[0]) {
		t.Errorf("%v", o.err)
	}
	go open(ctx)
	waiting()
	s, err := server.NewServer(configuration)
	if err != nil {
		t.Fatal(err)
	}
	s.Start()
	defer s.Shutdown()
	o := <-opened
	if o.err != nil {
		t.Fatal(o.err)
	}
	o.gate.Close()
	// What waiting does not mend is said at once.
	cluster.Authority = ""
	go open(ctx)
	var unknown *tls.CertificateVerificationError
	if o := <-opened; !errors.As(o.err, &unknown) {
		t.Errorf("%v", o.err)
	}
}
