// Package mergingdb makes one record of two of the same person, and two again.
//
// It writes down what it has moved, so that undoing gives back just that, whatever has happened since. It reaches
// into all tables that name a patron. Begin to read with MergePatrons.
package mergingdb
