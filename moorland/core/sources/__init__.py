"""Reading table data from files: CSV and Parquet."""
