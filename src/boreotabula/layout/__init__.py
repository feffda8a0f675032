"""The layout language: model, patterns, normal form of headings, messages about wrong layouts.

Knows nothing of workbooks and opens no file: text comes in, checked values go out.
"""
