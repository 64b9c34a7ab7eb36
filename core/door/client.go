package door

import "net/netip"

// Whoever has IPv6 has at least 2^64 addresses (RFC 6177, RFC 4291: from memory), so one address says nothing of who asks.
const (
	bitsOfClient = 64 // what one line is given at least
	bitsOfRange  = 48 // what one site is given at most
)

// Client is under what whoever asks from an address is counted: an address of IPv4, or the first 64 bits of one of IPv6. What is
// no address counts as it is.
func Client(address string) string {
	at, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	at = at.Unmap().WithZone("")
	if at.Is4() {
		return at.String()
	}
	return prefixOf(at, bitsOfClient)
}

// Range is under what many clients of one site are counted together: the first 48 bits of an address of IPv6; empty for any
// other.
func Range(address string) string {
	at, err := netip.ParseAddr(address)
	if err != nil || at.Unmap().Is4() {
		return ""
	}
	return prefixOf(at.WithZone(""), bitsOfRange)
}

// Near is the neighbourhood of an address, as far as a line at home or of a phone moves about in it: 24 bits of IPv4, 64 of IPv6.
func Near(address string) string {
	at, err := netip.ParseAddr(address)
	if err != nil || !at.Unmap().Is4() {
		return Client(address)
	}
	return prefixOf(at.Unmap(), 24)
}

func prefixOf(at netip.Addr, bits int) string {
	p, err := at.Prefix(bits)
	if err != nil {
		return at.String()
	}
	return p.String()
}
