package main

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	qr "github.com/piglig/go-qr"

	"stepping/store"
	"stepping/web"
	"stepping/web/door"
)

// entrance is where the application is heard, and who is let in there.
type entrance struct {
	address   string
	cert, key string // files, "" for no TLS
	lan       bool
	access    door.Access
}

// newEntrance reads the environment. Whatever is not heard on this machine alone needs sign-in.
func newEntrance(lan bool, dir string) (*entrance, error) {
	d := &entrance{address: env("STEPPING_ADDR", defaultAddr), cert: os.Getenv("STEPPING_TLS_CERT"), key: os.Getenv("STEPPING_TLS_KEY"), lan: lan}
	if (d.cert == "") != (d.key == "") {
		return nil, &inputError{"STEPPING_TLS_CERT and STEPPING_TLS_KEY belong together: set both, or neither"}
	}
	if lan {
		_, port, err := net.SplitHostPort(d.address)
		if err != nil {
			return nil, &inputError{"STEPPING_ADDR: " + err.Error()}
		}
		here, err := lanAddress()
		if err != nil {
			return nil, err
		}
		d.address = net.JoinHostPort(here.String(), port)
		if d.cert == "" {
			if d.cert, d.key, err = ownCertificate(filepath.Dir(dir), here); err != nil {
				return nil, err
			}
		}
	}
	d.access = door.Access{TLS: d.cert != "" || os.Getenv("STEPPING_TLS_PROXY") == "1", SignIn: lan || !isLoopback(d.address) ||
		os.Getenv("STEPPING_HOST") != "" || os.Getenv("STEPPING_SIGN_IN") == "1"}
	if proxies := os.Getenv("STEPPING_PROXIES"); proxies != "" {
		for _, p := range strings.Split(proxies, ",") {
			d.access.Proxies = append(d.access.Proxies, strings.TrimSpace(p))
		}
	}
	for name, to := range map[string]*time.Duration{"STEPPING_IDLE": &d.access.Idle, "STEPPING_SESSION": &d.access.Lifetime} {
		if v := os.Getenv(name); v != "" {
			n, err := time.ParseDuration(v)
			if err != nil || n < time.Minute {
				return nil, &inputError{name + " is a time of a minute or more, like 168h"}
			}
			*to = n
		}
	}
	return d, nil
}

func isLoopback(address string) bool {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return false
	}
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// lanAddress is this machine's address in its own network.
func lanAddress() (net.IP, error) {
	addresses, err := net.InterfaceAddrs()
	if err != nil {
		return nil, err
	}
	for _, private := range []bool{true, false} {
		for _, a := range addresses {
			if n, ok := a.(*net.IPNet); ok && n.IP.To4() != nil && !n.IP.IsLoopback() && !n.IP.IsLinkLocalUnicast() && n.IP.IsPrivate() == private {
				return n.IP.To4(), nil
			}
		}
	}
	return nil, errors.New("this machine has no network: connect it, or start stepping serve without --lan")
}

// certificateLasts is how long our own certificate is good for; it is made again when less than a month is left.
const certificateLasts = 397 * 24 * time.Hour

// ownCertificate makes a certificate for an address, or finds the one made before, in dir. Browsers warn of it
// once: nobody vouches for it but whoever reads the address from this screen.
func ownCertificate(dir string, ip net.IP) (cert, key string, err error) {
	cert, key = filepath.Join(dir, "lan-cert.pem"), filepath.Join(dir, "lan-key.pem")
	if pair, err := tls.LoadX509KeyPair(cert, key); err == nil && pair.Leaf.VerifyHostname(ip.String()) == nil &&
		time.Until(pair.Leaf.NotAfter) > 30*24*time.Hour {
		return cert, key, nil
	}
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return "", "", err
	}
	number, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127))
	if err != nil {
		return "", "", err
	}
	template := &x509.Certificate{SerialNumber: number, Subject: pkix.Name{CommonName: "Stepping on " + ip.String()},
		IPAddresses: []net.IP{ip}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().Add(certificateLasts), KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &private.PublicKey, private)
	if err != nil {
		return "", "", err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		return "", "", err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", "", err
	}
	return cert, key, errors.Join(
		os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600),
		os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))
}

// listen serves h until ctx ends; ready is told the address once it is heard.
func (d *entrance) listen(ctx context.Context, out io.Writer, h http.Handler, ready func(address string) error) error {
	l, err := net.Listen("tcp", d.address)
	if err != nil {
		return fmt.Errorf("%w: set STEPPING_ADDR to another address, like 127.0.0.1:0", err)
	}
	srv := &http.Server{Handler: h, ReadTimeout: web.ReadTimeout, WriteTimeout: web.WriteTimeout, IdleTimeout: web.IdleTimeout,
		MaxHeaderBytes: 64 << 10,
		TLSConfig:      &tls.Config{MinVersion: tls.VersionTLS12}}
	scheme := "http"
	if d.cert != "" {
		scheme = "https"
	}
	if err := ready(scheme + "://" + l.Addr().String() + "/"); err != nil {
		return errors.Join(err, l.Close())
	}
	done := make(chan error, 1)
	go func() {
		if d.cert != "" {
			done <- srv.ServeTLS(l, d.cert, d.key)
			return
		}
		done <- srv.Serve(l)
	}()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), shutdownTime)
	defer cancel()
	if err := srv.Shutdown(end); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return nil
}

// writeQR draws a code of dark modules in half blocks, two rows a line, light on what is usually a dark screen, with the four light
// modules around it that cameras want.
func writeQR(out io.Writer, size int, dark func(x, y int) bool) {
	const edge = 4
	light := func(x, y int) bool { return x < 0 || y < 0 || x >= size || y >= size || !dark(x, y) }
	for y := -edge; y < size+edge; y += 2 {
		for x := -edge; x < size+edge; x++ {
			switch upper, lower := light(x, y), light(x, y+1); {
			case upper && lower:
				fmt.Fprint(out, "█")
			case upper:
				fmt.Fprint(out, "▀")
			case lower:
				fmt.Fprint(out, "▄")
			default:
				fmt.Fprint(out, " ")
			}
		}
		fmt.Fprintln(out)
	}
}

// greet says where Stepping is to be found, and how the first account is made.
func greet(ctx context.Context, out io.Writer, st *store.Store, owner store.ID, d *entrance, address string) error {
	fmt.Fprintf(out, "Stepping is ready: %s\n", address)
	if d.lan {
		picture, err := qr.EncodeText(address, qr.Low)
		if err != nil {
			return err
		}
		writeQR(out, picture.Size(), picture.Module)
		fmt.Fprintln(out, "Open that address on the tablet, or scan the picture with its camera. It must be on the same network. The browser warns once, because the certificate was made on this machine: continue.")
	}
	if d.access.SignIn && !d.access.TLS && !isLoopback(d.address) {
		fmt.Fprintln(out, "Warning: without TLS, names and passwords are sent unencrypted. Set STEPPING_TLS_CERT and STEPPING_TLS_KEY, use stepping serve --lan, or put a proxy with TLS before it (STEPPING_PROXIES, STEPPING_TLS_PROXY=1).")
	}
	if d.access.SignIn {
		has, err := st.HasAccounts(ctx)
		if err != nil {
			return err
		}
		if !has {
			secret, err := st.AddLink(ctx, store.FirstLink, owner)
			if err != nil {
				return err
			}
			fmt.Fprintf(out, "Create the first account within a day: %swelcome/%s\n", address, secret)
		}
	}
	fmt.Fprintln(out, "Stop it with Ctrl-C.")
	return nil
}

// resetCommand prints a one-time link with which the account of a name gets a new password.
func resetCommand(ctx context.Context, args []string, out, errOut io.Writer) error {
	if len(args) != 1 {
		return &inputError{"stepping reset NAME: the name of one account"}
	}
	dsn, _, stop, err := database(ctx, out, joinDatabase)
	if err != nil {
		return err
	}
	defer stop()
	st, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer st.Close()
	a, err := st.Account(ctx, args[0])
	if errors.Is(err, store.ErrNotFound) {
		return &inputError{fmt.Sprintf("there is no account named %q", args[0])}
	}
	if err != nil {
		return err
	}
	secret, err := st.AddLink(ctx, store.ResetLink, a.Owner)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "Within a day, open /welcome/%s at the address of Stepping. It works once, and signs %s out everywhere.\n", secret, a.Name)
	return nil
}
