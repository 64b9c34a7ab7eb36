// Package circulation decides what a scan means: whether an item is lent and until when, what its return means, whether
// a loan is renewed, and where an item in somebody's hand goes.
//
// Each decision takes facts, which somebody has gathered and locked, and gives what follows with its why. It stores
// nothing and knows of nobody's name: a why names branches, rules, dates and sums, and leaves it to the links of an
// event to say whose loan or hold it was.
package circulation
