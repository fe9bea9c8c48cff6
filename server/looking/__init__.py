"""Looking at models: what evaluates, builds or lays out a document for a screen happens in a few
warm processes with limits of time and memory, never in the threads that answer requests.
"""
