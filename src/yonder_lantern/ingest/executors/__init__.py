"""Items → documents, prepared for the index, in processes of their own.

In: items and their bytes. Out: documents with their passages and terms, or why
there is none. `readers` is the side that asks, `process` the one that answers;
nothing is imported here, so that the latter starts fast.
"""
