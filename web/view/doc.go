// Package view turns plans and grips into plain structs of coordinates and words, which templates
// write as SVG and HTML and tests read as text. It knows nothing of requests, storage or locks:
// whoever calls it holds what it reads.
//
// Lengths are drawing units, which are pixels at the usual size.
package view
