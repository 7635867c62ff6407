"""Sources → documents → passages ready to be indexed.

Each stage is a function of plain values that can be pickled: a source lists items, an item is
read, a format turns its bytes into a document, the document is cut, and its passages are
prepared. Executors run the stages; no stage knows the desk or the index.
"""
