// Package returnsdb keeps return batches: each line of a bin or a counter as it was scanned, what came of it, and
// what is still to be answered.
//
// What a scan means is decided in core/circulation. Questions are answered after the batch, so that scanning never
// waits. Begin to read with ReturnRun and FactsOfReturn.
package returnsdb
