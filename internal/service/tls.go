package service

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"os"
	"sync"
	"time"
)

// lookAtFiles is how often it is looked whether a certificate's files have changed.
const lookAtFiles = 10 * time.Second

// certificate is one whose files may change while it is in use: they are read again, and as
// long as they do not hold together the one before stays.
type certificate struct {
	certFile, keyFile string
	trouble           func(error)
	every             time.Duration // it is looked whether the files have changed

	mu     sync.Mutex
	now    *tls.Certificate
	looked time.Time
	of     [2]fileState
}

type fileState struct {
	at   time.Time
	size int64
}

func stateOf(path string) (fileState, error) {
	info, err := os.Stat(path)
	if err != nil {
		return fileState{}, err
	}
	return fileState{info.ModTime(), info.Size()}, nil
}

// readCertificate reads a certificate for the first time: one that does not hold is refused.
func readCertificate(certFile, keyFile string, trouble func(error)) (*certificate, error) {
	if certFile == "" || keyFile == "" {
		return nil, errors.New("--tls-cert and --tls-key go together: the certificate with those above it, and its key")
	}
	c := &certificate{certFile: certFile, keyFile: keyFile, trouble: trouble, every: lookAtFiles}
	if err := c.read(); err != nil {
		return nil, err
	}
	return c, nil
}

func (c *certificate) read() error {
	var of [2]fileState
	for i, path := range []string{c.certFile, c.keyFile} {
		var err error
		if of[i], err = stateOf(path); err != nil {
			return fmt.Errorf("read the certificate: %w", err)
		}
	}
	pair, err := tls.LoadX509KeyPair(c.certFile, c.keyFile)
	if err != nil {
		return fmt.Errorf("read the certificate %s with its key %s: %w", c.certFile, c.keyFile, err)
	}
	c.now, c.of = &pair, of
	return nil
}

// get gives the certificate of this moment.
func (c *certificate) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if time.Since(c.looked) < c.every {
		return c.now, nil
	}
	c.looked = time.Now()
	cert, certErr := stateOf(c.certFile)
	key, keyErr := stateOf(c.keyFile)
	if certErr == nil && keyErr == nil && cert == c.of[0] && key == c.of[1] {
		return c.now, nil
	}
	if err := c.read(); err != nil {
		c.trouble(fmt.Errorf("the certificate stays as it was: %w", err))
	}
	return c.now, nil
}

// over gives a listener that speaks TLS 1.2 or newer.
func (c *certificate) over(l net.Listener) net.Listener {
	return tls.NewListener(l, &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: c.get, NextProtos: []string{"http/1.1"}})
}

// endOf gives when the certificate in a file ends.
func endOf(certFile, keyFile string) (time.Time, error) {
	pair, err := tls.LoadX509KeyPair(certFile, keyFile)
	if err != nil {
		return time.Time{}, err
	}
	leaf, err := x509.ParseCertificate(pair.Certificate[0])
	if err != nil {
		return time.Time{}, err
	}
	return leaf.NotAfter, nil
}
