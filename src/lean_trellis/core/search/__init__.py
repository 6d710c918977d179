"""What other values or states of a job would bring, each really computed: savings.

May use everything up to the graph; nothing here is used by it.
"""
