// Package store keeps everything in PostgreSQL. It is the small core that the areas beside it are built on.
//
// All SQL of Nevrin stands below this folder: a package for each area (holdsdb, peopledb, ...) has its models and asks
// and changes them, by functions over a Tx under names of the job. This package has what they share: the connection and
// migrations (Store), the transaction of an act (Tx) with its locks in the one order (Lock), questions that go out
// together (Questions), and lists in pages (Page). Nothing but the areas uses what runs SQL.
//
// What must never be is refused by the database itself (see migrations). An act locks what it touches, asks for its
// facts in one round trip, and what follows is queued and written in another. Models and single rows go through GORM,
// what a scan needs goes to the driver as a batch on the same connection.
package store
