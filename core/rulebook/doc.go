// Package rulebook decides the terms of a situation: loan period, fine rate, limits and the rest.
//
// A Rulebook is a set of rules. Each rule names in its scope the values of up to five dimensions
// to which it applies, and settles one or more terms. Each term is settled on its own, by the
// matching rule that is narrowest; narrowness compares dimension by dimension in the rulebook's
// ranking. An item's own terms stand above all rules; a term that nothing settles has its
// default. Two rules of equal narrowness that can meet and disagree are a conflict.
//
// Terms are listed once, in terms.go; names, units and explanations everywhere come from there.
// Examples are situations with their expected outcome; they are computed with packages loan and
// lateness and checked whenever a rulebook changes. Read reads the file format nevrin-rulebook/1.
package rulebook
