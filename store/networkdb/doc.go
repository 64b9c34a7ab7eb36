// Package networkdb keeps the network as its administrators have set it up: branches and their calendars, courier
// runs, lists, stations, number ranges and settings, and every change of these.
//
// Its row carries a version that every change moves on; app/network keeps the whole in memory by that version. Rules
// are in rulesdb, people who work here in staffdb. Begin to read with Network and Change.
package networkdb
