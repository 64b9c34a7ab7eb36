// Package interlibrarydb keeps partners, interlibrary requests on both sides, and the messages exchanged about them.
//
// The stages of a request and its moves are core/exchange; messages are read and written in formats/iso18626. Begin
// to read with Request.
package interlibrarydb
