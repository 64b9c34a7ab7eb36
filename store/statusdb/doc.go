// Package statusdb counts and watches: what waits at each branch, how far a night has come, jobs, backups, replicas,
// and the sums by which a restored database is compared with the one it came from.
//
// It only reads, but for the steps of a night. Begin to read with WaitsByBranch and StepOf.
package statusdb
