"""Files of data: records written as CSV, JSON, JSON Lines and Parquet."""
