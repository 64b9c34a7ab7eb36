// Package transitsdb keeps what is in transit between branches: transits, totes, and figures of what went where.
//
// The database allows one live transit for each item. The steps of a tote are core/tote, when a courier arrives
// core/courier. Begin to read with Transit and Tote.
package transitsdb
