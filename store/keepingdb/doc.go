// Package keepingdb holds how long what is known of people is kept: cutting history, forgetting a patron, who has
// read whose record, and the files by which a network takes everything out.
//
// It reaches into the tables of other areas on purpose: what is to be forgotten stands in all of them. Begin to read
// with CutHistory and Forget.
package keepingdb
