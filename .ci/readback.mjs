// Prints the rows of a Parquet file as JSON: amounts and dates as texts, blanks as null.
import { asyncBufferFromFile, parquetMetadataAsync, parquetReadObjects } from 'hyparquet'
import { compressors } from 'hyparquet-compressors'

const file = await asyncBufferFromFile(process.argv[2])
const metadata = await parquetMetadataAsync(file)
const scale = {}
for (const e of metadata.schema) if (e.logical_type?.type === 'DECIMAL' || e.converted_type === 'DECIMAL') scale[e.name] = e.scale ?? 0
const rows = await parquetReadObjects({ file, metadata, compressors })
console.log(JSON.stringify(rows.map(row => Object.fromEntries(Object.entries(row).map(([name, value]) => [
  name,
  value == null ? null
    : value instanceof Date ? value.toISOString().slice(0, 10)
    : typeof value === 'number' && name in scale ? value.toFixed(scale[name])
    : value,
])))))
