#pragma once
#include <algorithm>
#include <compare>
#include <cstdint>
#include <functional>
#include <initializer_list>
#include <iterator>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

namespace topikos {

/// Type of the ids of a table's objects; given beforehand for those that hold tables of themselves.
template <class T> struct TableId {
    using Type = decltype(T::id);
};

/// Objects of one kind in an order, each with an id of its own (member `id`). Copies share what they have in common
/// down to the single object, so a copy costs next to nothing, and two tables tell by their pointers what differs.
/// Reading goes through const references; changing takes the object apart from other tables first.
template <class T> class Table {
public:
    using IdType = typename TableId<T>::Type;
    using value_type = T;

    class Iterator {
    public:
        using iterator_category = std::random_access_iterator_tag;
        using value_type = T;
        using difference_type = std::ptrdiff_t;
        using pointer = const T*;
        using reference = const T&;

        Iterator() = default;
        explicit Iterator(const std::shared_ptr<const T>* at) : m_at(at) {}
        reference operator*() const { return **m_at; }
        pointer operator->() const { return m_at->get(); }
        reference operator[](difference_type n) const { return *m_at[n]; }
        Iterator& operator++() { return ++m_at, *this; }
        Iterator& operator--() { return --m_at, *this; }
        Iterator operator++(int) { return Iterator(m_at++); }
        Iterator operator--(int) { return Iterator(m_at--); }
        Iterator& operator+=(difference_type n) { return m_at += n, *this; }
        Iterator& operator-=(difference_type n) { return m_at -= n, *this; }
        friend Iterator operator+(Iterator i, difference_type n) { return Iterator(i.m_at + n); }
        friend Iterator operator+(difference_type n, Iterator i) { return Iterator(i.m_at + n); }
        friend Iterator operator-(Iterator i, difference_type n) { return Iterator(i.m_at - n); }
        friend difference_type operator-(Iterator a, Iterator b) { return a.m_at - b.m_at; }
        auto operator<=>(const Iterator&) const = default;

    private:
        const std::shared_ptr<const T>* m_at = nullptr;
    };
    using const_iterator = Iterator;

    Table() = default;
    Table(std::initializer_list<T> objects) : Table(std::vector<T>(objects)) {}
    explicit Table(std::vector<T> objects)
    {
        Storage& own = detached();
        own.objects.reserve(objects.size());
        for (T& object : objects)
            own.objects.push_back(std::make_shared<const T>(std::move(object)));
        own.reindex();
    }

    bool empty() const { return size() == 0; }
    size_t size() const { return m_storage ? m_storage->objects.size() : 0; }
    Iterator begin() const { return Iterator(m_storage ? m_storage->objects.data() : nullptr); }
    Iterator end() const { return begin() + std::ptrdiff_t(size()); }
    const T& operator[](size_t i) const { return *m_storage->objects[i]; }
    const T& front() const { return (*this)[0]; }
    const T& back() const { return (*this)[size() - 1]; }

    /// Place of an object, nothing if it is not here. Binary search.
    std::optional<size_t> placeOf(IdType id) const
    {
        if (!m_storage) return std::nullopt;
        const auto& index = m_storage->index;
        const auto at = std::lower_bound(index.begin(), index.end(), id.value,
                                         [](const auto& entry, std::uint32_t value) { return entry.first < value; });
        return at == index.end() || at->first != id.value ? std::nullopt : std::optional<size_t>(at->second);
    }
    const T* find(IdType id) const
    {
        const auto place = placeOf(id);
        return place ? m_storage->objects[*place].get() : nullptr;
    }
    /// The same object may stand in several tables.
    const std::shared_ptr<const T>& shared(size_t i) const { return m_storage->objects[i]; }

    /// The object to be changed, nullptr if it is not here. Its id stays. Valid until the table changes otherwise.
    T* edit(IdType id)
    {
        const auto place = placeOf(id);
        return place ? &at(*place) : nullptr;
    }
    /// The object at a place, to be changed.
    T& at(size_t i)
    {
        auto& object = detached().objects[i];
        if (object.use_count() > 1) object = std::make_shared<const T>(*object);
        return const_cast<T&>(*object);  // made as const here, and nobody else has it
    }
    /// Changes every object for which `wanted` holds.
    template <class Wanted, class Change> void change(Wanted wanted, Change change)
    {
        for (size_t i = 0; i < size(); ++i)
            if (wanted((*this)[i])) change(at(i));
    }

    /// All objects, to be changed.
    std::vector<std::reference_wrapper<T>> edits()
    {
        std::vector<std::reference_wrapper<T>> out;
        for (size_t i = 0; i < size(); ++i)
            out.push_back(at(i));
        return out;
    }

    void push_back(T object) { insert(size(), std::move(object)); }
    void insert(size_t place, T object)
    {
        Storage& own = detached();
        const std::uint32_t id = object.id.value;
        own.objects.insert(own.objects.begin() + std::ptrdiff_t(place), std::make_shared<const T>(std::move(object)));
        if (place + 1 < own.objects.size())
            for (auto& entry : own.index)
                entry.second += entry.second >= place;
        const std::pair<std::uint32_t, std::uint32_t> entry(id, std::uint32_t(place));
        own.index.insert(std::lower_bound(own.index.begin(), own.index.end(), entry), entry);
    }
    void erase(IdType id)
    {
        if (const auto place = placeOf(id)) {
            Storage& own = detached();
            own.objects.erase(own.objects.begin() + std::ptrdiff_t(*place));
            own.reindex();
        }
    }
    template <class Predicate> size_t eraseIf(Predicate predicate)
    {
        if (std::none_of(begin(), end(), predicate)) return 0;
        Storage& own = detached();
        const size_t gone = std::erase_if(own.objects, [&](const auto& object) { return predicate(*object); });
        own.reindex();
        return gone;
    }
    /// Moves the object at a place so that it stands at another one afterwards.
    void move(size_t from, size_t to)
    {
        Storage& own = detached();
        const auto at = [&](size_t i) { return own.objects.begin() + std::ptrdiff_t(i); };
        if (from < to) std::rotate(at(from), at(from) + 1, at(to) + 1);
        else std::rotate(at(to), at(from), at(from) + 1);
        own.reindex();
    }
    /// Puts the objects in the order of some ids; those that are not named come behind, as they stood.
    void arrange(const std::vector<IdType>& order)
    {
        Storage& own = detached();
        std::vector<size_t> rank(own.objects.size(), order.size()), places(own.objects.size());
        for (size_t i = 0; i < order.size(); ++i)
            if (const auto at = placeOf(order[i])) rank[*at] = i;
        for (size_t i = 0; i < places.size(); ++i)
            places[i] = i;
        std::stable_sort(places.begin(), places.end(), [&](size_t a, size_t b) { return rank[a] < rank[b]; });
        std::vector<std::shared_ptr<const T>> objects;
        objects.reserve(places.size());
        for (const size_t place : places)
            objects.push_back(std::move(own.objects[place]));
        own.objects = std::move(objects);
        own.reindex();
    }
    void clear() { m_storage.reset(); }

    /// The same objects by their values.
    bool operator==(const Table& other) const
    {
        if (m_storage == other.m_storage) return true;
        if (size() != other.size()) return false;
        for (size_t i = 0; i < size(); ++i)
            if (shared(i) != other.shared(i) && !((*this)[i] == other[i])) return false;
        return true;
    }
    bool isShared(const Table& other) const { return m_storage == other.m_storage; }

private:
    struct Storage {
        std::vector<std::shared_ptr<const T>> objects;
        std::vector<std::pair<std::uint32_t, std::uint32_t>> index;  ///< id and place, by id

        void reindex()
        {
            index.resize(objects.size());
            for (size_t i = 0; i < objects.size(); ++i)
                index[i] = {objects[i]->id.value, std::uint32_t(i)};
            std::sort(index.begin(), index.end());
        }
    };
    Storage& detached()
    {
        if (!m_storage) m_storage = std::make_shared<Storage>();
        else if (m_storage.use_count() > 1) m_storage = std::make_shared<Storage>(*m_storage);
        return *m_storage;
    }
    std::shared_ptr<Storage> m_storage;
};

}  // namespace topikos
