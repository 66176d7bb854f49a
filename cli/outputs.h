#pragma once
#include "core/files/file.h"

#include <CLI/CLI.hpp>

namespace topikos::cli {

/// The options of all commands that name files, so that one place decides where output may go: never to an empty name,
/// never over what is read, but that a cell may be written over itself where that is said with -o.
class Outputs {
public:
    void in(CLI::Option* option, const std::string& file) { m_inputs.push_back({option, {&file}, nullptr}); }
    void in(CLI::Option* option, const std::vector<std::string>& files) { m_inputs.push_back({option, {}, &files}); }
    /// The cell of the command, which -o may name.
    void cell(CLI::Option* option, const std::string& file) { m_cells.push_back({option, {&file}, nullptr}); }
    void out(CLI::Option* option, const std::string& file) { m_outputs.push_back({option, {&file}, nullptr}); }
    void outOverCell(CLI::Option* option, const std::string& file) { m_overCell.push_back({option, {&file}, nullptr}); }

    /// Looked at before a command runs.
    Status check() const
    {
        const std::vector<std::string> inputs = given(m_inputs), cells = given(m_cells);
        std::vector<std::string> all = inputs;
        all.insert(all.end(), cells.begin(), cells.end());
        std::vector<std::string> written;
        const auto checkAll = [&](const std::vector<Named>& outputs,
                                  const std::vector<std::string>& refused) -> Status {
            for (const Named& own : outputs) {
                if (own.option->count() == 0) continue;
                const std::string& path = *own.one.front();
                if (Status bad = checkOutput(path, refused, own.option->get_name())) return bad;
                for (const std::string& other : written)
                    if (sameFile(path, other))
                        return Error{"file.input", "two files to write have the same name",
                                     own.option->get_name() + " " + path, "Give each a name of its own."};
                written.push_back(path);
            }
            return std::nullopt;
        };
        if (Status bad = checkAll(m_outputs, all)) return bad;
        return checkAll(m_overCell, inputs);
    }

private:
    struct Named {
        const CLI::Option* option;
        std::vector<const std::string*> one;
        const std::vector<std::string>* several;
    };
    static std::vector<std::string> given(const std::vector<Named>& list)
    {
        std::vector<std::string> out;
        for (const Named& own : list) {
            if (own.option->count() == 0) continue;
            for (const std::string* file : own.one)
                out.push_back(*file);
            if (own.several) out.insert(out.end(), own.several->begin(), own.several->end());
        }
        std::erase(out, "-");
        return out;
    }
    std::vector<Named> m_inputs, m_cells, m_outputs, m_overCell;
};

}  // namespace topikos::cli
