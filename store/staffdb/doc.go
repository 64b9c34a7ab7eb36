// Package staffdb keeps who works here, and how they sign in: passwords, second factors, sessions, links, and the
// count of attempts that slows guessing, for staff and patrons alike.
//
// Only digests and sealed secrets are kept. What somebody may do is core/role and core/settings. Begin to read with
// Staff and Try.
package staffdb
