// Package format is the floor of how sources are written: a package for each format (delimited,
// xlsx, ods, json, parquet, postgres), and what several of them need: taking off compressions
// and encodings (decode), finding the header (header), and making records of the rows of a sheet
// (sheet). A format reads; which files are read is for core/source.
package format
