// Package outside keeps what the service sends out of the machine and its network, but
// where that was allowed by name.
package outside

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"syscall"
	"time"

	"goldshelf/core/message"
)

// ErrInside means that an address is inside the machine or its network.
var ErrInside = message.Errorf("the address is inside this machine or its network; allow the host by name first")

// Guard lets the outside be reached, and of the inside the hosts that are allowed, each with
// or without a port.
type Guard struct{ Allowed []string }

// connectWithin is how long a connection may take to stand.
const connectWithin = 10 * time.Second

// Client gives a client for HTTP that the guard goes with, whose settings the caller may
// change. It follows no redirect.
func (g Guard) Client() (*http.Client, *http.Transport) {
	t := &http.Transport{DialContext: g.dial, TLSHandshakeTimeout: connectWithin}
	return &http.Client{Transport: t, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}, t
}

// Check says what is wrong with an address, as far as that can be said without
// reaching for it. The example shows how one is written.
func (g Guard) Check(address, example string) error {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http":
		return message.Errorf("%q is no web address; write one as %s", address, example)
	case u.User != nil:
		return message.Errorf("the address has a name or password in it; leave them out")
	}
	if ip, err := netip.ParseAddr(u.Hostname()); err == nil && inside(ip) && !g.allows(u.Host) {
		return ErrInside
	}
	if name := strings.TrimSuffix(strings.ToLower(u.Hostname()), "."); (name == "localhost" || strings.HasSuffix(name, ".localhost")) && !g.allows(u.Host) {
		return ErrInside
	}
	return nil
}

func (g Guard) allows(host string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = host
	}
	return slices.Contains(g.Allowed, host) || slices.Contains(g.Allowed, name)
}

// dial looks at the address that a name stands for at the moment of connecting,
// so that no name leads inside.
func (g Guard) dial(ctx context.Context, network, address string) (net.Conn, error) {
	d := net.Dialer{Timeout: connectWithin}
	if !g.allows(address) {
		d.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			if inside(at.Addr()) {
				return ErrInside
			}
			return nil
		}
	}
	return d.DialContext(ctx, network, address)
}

// shared are networks that are not the outside and that netip has no word for:
// carrier-grade NAT (RFC 6598), benchmarks (RFC 2544), this network (RFC 791),
// reserved (RFC 1112), IPv4 within IPv6 (RFC 6052) and protocol assignments (RFC 6890).
var shared = []netip.Prefix{
	netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("0.0.0.0/8"),
	netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("192.0.0.0/24"),
	// and what carries an IPv4 address inside an IPv6 one, or was local to a site: 6to4
	// (RFC 3056), Teredo (RFC 4380), local NAT64 (RFC 8215), site-local (RFC 3879) and
	// IPv4-compatible (RFC 4291).
	netip.MustParsePrefix("2002::/16"), netip.MustParsePrefix("2001::/32"), netip.MustParsePrefix("64:ff9b:1::/48"),
	netip.MustParsePrefix("fec0::/10"), netip.MustParsePrefix("::/96"),
}

// own says whether an address is one of this machine's, of whichever family.
func own(ip netip.Addr) bool {
	all, err := net.InterfaceAddrs()
	return err != nil || slices.ContainsFunc(all, func(a net.Addr) bool {
		p, err := netip.ParsePrefix(a.String())
		return err == nil && p.Addr().Unmap().WithZone("") == ip.WithZone("")
	})
}

func inside(ip netip.Addr) bool {
	ip = ip.Unmap()
	if own(ip) {
		return true
	}
	if !ip.IsGlobalUnicast() || ip.IsPrivate() || ip.IsLoopback() || ip.IsLinkLocalUnicast() {
		return true
	}
	return slices.ContainsFunc(shared, func(p netip.Prefix) bool { return p.Contains(ip) })
}
