package main

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nkeys"

	"reelhouse/core/queue"
	"reelhouse/farm/wire"
)

// natsVariable lets the test binary be a NATS server with the configuration that it names.
const natsVariable = "REELHOUSE_TEST_NATS"

func serveNATS(configuration string) int {
	options, err := server.ProcessConfigFile(configuration)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	options.NoSigs = true
	s, err := server.NewServer(options)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	if os.Getenv("REELHOUSE_TEST_NATS_LOG") != "" {
		s.ConfigureLogger()
	}
	s.Start()
	s.WaitForShutdown()
	return 0
}

// A natsServer is one of a cluster, as a process.
type natsServer struct {
	address, configuration string
	cmd                    *exec.Cmd
}

func (s *natsServer) start(t *testing.T) {
	t.Helper()
	s.cmd = exec.Command(os.Args[0])
	s.cmd.Env = append(os.Environ(), natsVariable+"="+s.configuration)
	s.cmd.Stderr = os.Stderr
	if err := s.cmd.Start(); err != nil {
		t.Fatal(err)
	}
}

func (s *natsServer) kill() {
	if s.cmd != nil {
		s.cmd.Process.Kill()
		s.cmd.Wait()
		s.cmd = nil
	}
}

// certified writes a certificate for this machine, with its key, and returns where.
func certified(t *testing.T) (certificate, key string) {
	t.Helper()
	pair, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	of := x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "test"}, IPAddresses: []net.IP{{127, 0, 0, 1}},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true,
		BasicConstraintsValid: true,
	}
	made, err := x509.CreateCertificate(rand.Reader, &of, &of, pair.Public(), pair)
	if err != nil {
		t.Fatal(err)
	}
	private, err := x509.MarshalPKCS8PrivateKey(pair)
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	certificate, key = filepath.Join(folder, "certificate.pem"), filepath.Join(folder, "key.pem")
	for path, block := range map[string]*pem.Block{
		certificate: {Type: "CERTIFICATE", Bytes: made}, key: {Type: "PRIVATE KEY", Bytes: private},
	} {
		if err := os.WriteFile(path, pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return certificate, key
}

// newCluster starts three servers that ask a house who may come in.
func newCluster(t *testing.T, data string) (servers []*natsServer, authority string) {
	t.Helper()
	out, complaints, err := run(t, "farm-cluster", "--data", data)
	if err != nil {
		t.Fatal(complaints, err)
	}
	certificate, key := certified(t)
	addresses := freeAddresses(t, 6)
	var routes []string
	for _, address := range addresses[3:] {
		routes = append(routes, "nats://"+address)
	}
	for i, address := range addresses[:3] {
		folder := t.TempDir()
		s := &natsServer{address: address, configuration: filepath.Join(folder, "server.conf")}
		text := fmt.Sprintf(`server_name: s%d
listen: %q
jetstream { store_dir: %q, sync_interval: always }
tls { cert_file: %q, key_file: %q }
cluster { name: farm, listen: %q, routes: [ %s ] }
%s`, i+1, address, filepath.Join(folder, "jetstream"), certificate, key, addresses[3+i],
			strings.Join(routes, ", "), out)
		if err := os.WriteFile(s.configuration, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(s.kill)
		s.start(t)
		servers = append(servers, s)
	}
	return servers, certificate
}

// Messages go by three servers that the house does not run. Each of them is killed while a batch is rendered, and so is
// the house; who is a node is said by the house.
func TestAClusterCarriesTheMessages(t *testing.T) {
	data := farmed(t, "1001-1060")
	servers, authority := newCluster(t, data)
	var urls []string
	for _, s := range servers {
		urls = append(urls, "tls://"+s.address)
	}
	address := freeAddresses(t, 1)[0]
	serve := func() *served {
		return start(t, data, "--farm", address, "--no-node", "--farm-beat", "100ms", "--farm-lease", "2s",
			"--nats", strings.Join(urls, ","), "--nats-ca", authority)
	}
	s := serve()
	var nodes []*testNode
	for _, name := range []string{"shed", "loft"} {
		n := letIn(t, data, name, nil, nil)
		n.start(t)
		nodes = append(nodes, n)
	}
	sendFarmed(t, data)
	good := func(n int) {
		t.Helper()
		until(t, data, func(c queue.Counts) bool { return c[queue.Good] >= n })
	}
	for i, server := range servers {
		good(8 * (i + 1))
		server.kill()
		good(8*(i+1) + 4) // two of three are enough
		server.start(t)
	}
	s.cmd.Process.Kill()
	s.cmd.Wait()
	serve()
	until(t, data, allGood)
	if out, complaints, err := run(t, "verify", "--deep", "--data", data); err != nil {
		t.Error(out, complaints, err)
	}
	// Whoever else comes is refused, and a token that is taken back ends the line at once.
	text, err := os.ReadFile(nodes[0].token)
	if err != nil {
		t.Fatal(err)
	}
	token, err := wire.ParseToken(string(text))
	if err != nil || !token.Cluster {
		t.Fatalf("%+v, %v", token, err)
	}
	connect := func(key string) (*nats.Conn, error) {
		pair, err := nkeys.FromSeed([]byte(key))
		if err != nil {
			t.Fatal(err)
		}
		public, _ := pair.PublicKey()
		secured, err := token.MessagesTLS()
		if err != nil {
			t.Fatal(err)
		}
		return nats.Connect("tls://"+token.Messages[0], nats.Nkey(public, pair.Sign), nats.Secure(secured),
			nats.NoReconnect(), nats.CustomInboxPrefix(wire.Inbox(token.Name)))
	}
	stranger, _ := nkeys.CreateUser()
	seed, _ := stranger.Seed()
	if c, err := connect(string(seed)); err == nil {
		c.Close()
		t.Error("a stranger is let in")
	}
	c, err := connect(token.Key)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	wrong := make(chan error, 1)
	c.SetErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) {
		select {
		case wrong <- err:
		default:
		}
	})
	gone := make(chan bool, 1)
	c.SetClosedHandler(func(*nats.Conn) { gone <- true })
	if err := c.Publish(wire.DoneTo+"loft", []byte("{}")); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	select {
	case err := <-wrong:
		if !strings.Contains(err.Error(), "ermissions") {
			t.Error(err)
		}
	case <-ctx.Done():
		t.Error("it speaks for another node")
	}
	if out, complaints, err := run(t, "node-token", "--name", "shed", "--take-back", "--data", data); err != nil {
		t.Fatal(out, complaints, err)
	}
	select {
	case <-gone:
	case <-ctx.Done():
		t.Error("a token that was taken back does not end the line")
	}
}
