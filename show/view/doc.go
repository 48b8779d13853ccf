// Package view is how the result of each command looks: what it prints on a screen, and its JSON
// document. Each file is one command's. What is computed comes from core, and tables, files
// and findings from package show.
package view
