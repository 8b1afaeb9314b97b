"""The kernel's language: Python that also runs as Python, to machine code and to C99.

    reader    the source of a function and the types of its arguments -> a typed tree; refuses what is not the language
    llvm      a typed tree -> LLVM text
    c99       a typed tree -> one readable C99 file
    machine   LLVM text -> an object, and its code in this process
    cache     objects and indexes on disk, by what they were made of
    source    a kernel function by its source, and where its lines stand
    entry     how Python calls compiled code
    kernel    the functions themselves: `compiled`, `inlined`, `unit`; how Python calls them

What the language is stands in docs/kernel-language.md.
"""
