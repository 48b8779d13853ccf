// Makes the Parquet files in this folder with DuckDB 1.4 or later:
//   npm install @duckdb/node-api && node make.mjs
// kinds.parquet    a column of every kind, pages of version 1, LZ4_RAW
// kinds-v2.parquet the same without uinteger, pages of version 2, zstd
// blanks.parquet   3,000 rows, a third of the names and half of the ratios null, LZ4_RAW
import { DuckDBInstance } from '@duckdb/node-api';

const connection = await (await DuckDBInstance.create(':memory:')).connect();
await connection.run(`create table kinds as (
 select i::integer as n, ('text ' || i)::varchar as name, (i%2=0) as open,
  (i*3)::utinyint as u8, (i*1000)::usmallint as u16, (4000000000+i)::uinteger as u32, (18446744073709551000+i)::ubigint as u64, (-i)::tinyint as i8, (-i*100)::smallint as i16, (-9007199254740993-i)::bigint as i64, 
  (170141183460469231731687303715884105720+i)::hugeint::varchar as huge,
  (i*1.25)::decimal(4,2) as d4, (-i*1.25)::decimal(9,2) as d9, (123456789012.345+i)::decimal(18,3) as d18, (-12345678901234567890123456.789012+i)::decimal(38,6) as d38,
  (date '2031-01-31' + i::integer) as day, time '13:45:06.123456' as tod, 
  timestamp '2031-03-31 23:59:59.123456' as ts, timestamp_s '2031-03-31 23:59:59' as ts_s, timestamp_ms '2031-03-31 23:59:59.123' as ts_ms, timestamp_ns '2031-03-31 23:59:59.123456789' as ts_ns,
  timestamptz '2031-03-31 23:59:59.5+02' as tsz,
  '6f1e2d3c-0000-4000-8000-0000000000'||(10+i) as uid_text, ('6f1e2d3c-0000-4000-8000-0000000000'||(10+i))::uuid as uid,
  (case when i%2=0 then 'debit' else 'credit' end)::enum('debit','credit') as side, ('{"a": '||i||'}')::json as js,
  [i, i+1, null]::integer[] as list, ['a', 'b,c']::varchar[] as words, {'town': 'Corvane', 'no': i} as address, map {'x': i, 'y': i+1} as pairs, [[1,2],[3]]::integer[][] as lists,
  'ab'::blob as bytes, interval '1 month 2 days' as iv, (i*0.1)::double as dbl, (i*0.1)::float as flt
 from range(0,3) t(i))`);
await connection.run('insert into kinds (n) values (null)');
await connection.run("copy kinds to 'kinds.parquet' (format parquet, codec 'lz4_raw', parquet_version V1)");
await connection.run("copy (select * exclude (u32) from kinds) to 'kinds-v2.parquet' (format parquet, codec 'zstd', parquet_version V2)");
await connection.run(`copy (select i::bigint as n, case when i%3=0 then null else 'document '||(i*7919%100000) end as name,
  (i*13%1000000/100.0)::decimal(18,2) as amount, case when i%2=0 then (i%977)::double end as ratio
  from range(0,3000) t(i)) to 'blanks.parquet' (format parquet, codec 'lz4_raw')`);
