"""Drawing beyond one machine: parts that anybody can draw alone, and an engine that has many drawn
at once.
"""
