"""Made-up sample workbooks and layouts: a co-operative of northern tree nurseries."""
