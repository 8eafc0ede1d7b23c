package web

import (
	"net"
	"net/netip"
	"slices"
	"sync"
)

// Connections that are open at a time: a browser takes six at most (common practice), a
// proxy as many as it likes.
const (
	maxOpen     = 10_000
	maxOpenFrom = 600
)

// Listen lets one address have only so many connections of l open, and all only so many:
// what comes beyond is closed before a byte is read. This machine and the proxies, numbers or
// networks as in Options, are counted among all alone.
func Listen(l net.Listener, proxies []string) net.Listener {
	return &doorstep{Listener: l, crowd: crowd{most: maxOpen, each: maxOpenFrom}, proxies: proxies}
}

type doorstep struct {
	net.Listener
	crowd   crowd
	proxies []string
}

// Accept implements net.Listener.
func (d *doorstep) Accept() (net.Conn, error) {
	for {
		c, err := d.Listener.Accept()
		if err != nil {
			return nil, err
		}
		from := "127.0.0.1" // what names nobody
		if a, err := netip.ParseAddrPort(c.RemoteAddr().String()); err == nil && !d.proxy(a.Addr().Unmap()) {
			from = neighbours(a.Addr().Unmap().String())
		}
		if leave, says := d.crowd.enter(from); says == "" {
			return &visit{Conn: c, leave: sync.OnceFunc(leave)}, nil
		}
		c.Close()
	}
}

func (d *doorstep) proxy(a netip.Addr) bool {
	return slices.ContainsFunc(d.proxies, func(s string) bool {
		if p, err := netip.ParsePrefix(s); err == nil {
			return p.Contains(a)
		}
		b, err := netip.ParseAddr(s)
		return err == nil && b.Unmap() == a
	})
}

// A visit is a connection that is counted.
type visit struct {
	net.Conn
	leave func()
}

func (v *visit) Close() error {
	v.leave()
	return v.Conn.Close()
}
