"""A dataset: a folder of Parquet files, written here or by the workers of a cluster."""
